/** What a distribution says of itself: core metadata (PyPA, Core metadata specifications). */
import { PackageURL } from 'packageurl-js';
import type { Describing } from '../../describing';
import { readHeaders } from '../wheel/metadata';
import { compareVersions, parseVersion } from '../versions/version';

const METADATA = /^[^/]+\.dist-info\/METADATA$/;
const INSTALLED = /^(?:.*\/)?[^/]+\.dist-info\/METADATA$/;
const CLASSIFIER = /^License :: (?:OSI Approved :: )?(.+)$/;

/** PEP 503. */
const plain = (name: string): string => name.replace(/[-_.]+/g, '-').toLowerCase();

export const pythonDescribing: Describing = {
  ecosystem: 'PyPI',
  purl: ({ name, version }) => new PackageURL('pypi', null, plain(name), version, null, null).toString(),
  plainName: plain,
  compare(a, b) {
    const [x, y] = [parseVersion(a), parseVersion(b)];
    if (x === undefined || y === undefined) return Number(x !== undefined) - Number(y !== undefined);
    return compareVersions(x, y);
  },
  isVersion: (text) => parseVersion(text) !== undefined,
  metadata: METADATA,
  licence(texts) {
    const found = texts.find(({ path }) => INSTALLED.test(path));
    if (found === undefined) return undefined;
    const headers = readHeaders(found.text);
    const at = found.path;
    // An expression replaces the older field (PEP 639), and that what is chosen from a list.
    const [expression] = headers.get('license-expression') ?? [];
    if (expression !== undefined) return { written: [expression], at };
    const [stated] = headers.get('license') ?? [];
    if (stated !== undefined && !/^(?:unknown|none)?$/i.test(stated.trim())) return { written: [stated], at };
    const listed = (headers.get('classifier') ?? []).flatMap((one) => CLASSIFIER.exec(one)?.[1] ?? []);
    const exact = listed.filter((one) => one !== 'OSI Approved');
    return exact.length === 0 ? undefined : { written: exact, at };
  },
  installed: {
    file: INSTALLED,
    read(path, text) {
      const headers = readHeaders(text);
      const [[name], [version]] = [headers.get('name') ?? [], headers.get('version') ?? []];
      if (name === undefined || version === undefined) return [];
      return [{ name, version, folders: [path.slice(0, -'METADATA'.length)] }];
    },
  },
};
