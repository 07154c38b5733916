/** What a package says of itself: package.json. */
import { PackageURL } from 'packageurl-js';
import { jsonOf } from '../../../base/json';
import { compareSemver, isSemver } from '../../../base/semver-order';
import type { Describing } from '../../describing';

const METADATA = /^package\.json$/;
const INSTALLED = /^(?:.*\/)?node_modules\/((?:@[^/]+\/)?[^/@][^/]*)\/package\.json$/;

interface Manifest {
  readonly name?: unknown;
  readonly version?: unknown;
  readonly license?: unknown;
  readonly licenses?: unknown;
}

export const nodeDescribing: Describing = {
  ecosystem: 'npm',
  purl({ name, version }) {
    const [scope, rest] = name.startsWith('@') ? (name.split('/', 2) as [string, string?]) : [null, name];
    return new PackageURL('npm', scope, rest ?? name, version, null, null).toString();
  },
  plainName: (name) => name,
  compare: compareSemver,
  isVersion: isSemver,
  root: /^[^/]+\//,
  metadata: METADATA,
  licence(texts) {
    const found = texts.find(({ path }) => /(?:^|\/)package\.json$/.test(path));
    const manifest = found === undefined ? undefined : manifestOf(found.text);
    if (found === undefined || manifest === undefined) return undefined;
    const older: unknown[] = Array.isArray(manifest.licenses) ? manifest.licenses : [manifest.licenses];
    const written = [manifest.license, ...older].map(nameOf).filter((one) => one !== undefined);
    // `SEE LICENSE IN file` says that the text is the licence.
    const stated = written.filter((one) => !/^see licen[cs]e in/i.test(one));
    return stated.length === 0 ? undefined : { written: stated, at: found.path };
  },
  installed: {
    file: INSTALLED,
    read(path, text) {
      const manifest = manifestOf(text);
      const [, name = ''] = INSTALLED.exec(path) ?? [];
      if (typeof manifest?.version !== 'string') return [];
      return [{ name, version: manifest.version, folders: [path.slice(0, -'package.json'.length)] }];
    },
  },
};

function manifestOf(text: string): Manifest | undefined {
  const value = jsonOf(text);
  return typeof value === 'object' && value !== null ? value : undefined;
}

/** Older packages write `{ type, url }`. */
function nameOf(value: unknown): string | undefined {
  if (typeof value === 'string') return value;
  const type = typeof value === 'object' && value !== null ? (value as { type?: unknown }).type : undefined;
  return typeof type === 'string' ? type : undefined;
}
