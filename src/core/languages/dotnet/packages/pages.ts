/** The pages of a stand-in feed: the third version of the protocol, with registrations that state digests. */
import { createHash } from 'node:crypto';
import { existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { makeScratch, removeScratch } from '../../../disk/scratch';
import { count } from '../../../base/text';
import { filesBelow, writeStoredZip } from '../../../disk/unpack/stored-zip';
import type { Page, PageFault, PageRequest, Pages } from '../../pages';
import { fileOf } from './feeds';
import { nuspecIn } from './package-file';

const ROOT = '/nuget/v3';

interface Offered {
  readonly name: string;
  readonly version: string;
  readonly bytes: Buffer;
  readonly manifest: string;
}

const TYPES =
  '<?xml version="1.0" encoding="utf-8"?>\n<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="nuspec" ContentType="application/octet"/></Types>\n';

/** The pages of a stand-in feed. */
export function openPages(): Pages {
  const all: Offered[] = [];
  return {
    take(folder, shown, name) {
      const path = join(folder, name);
      const isPackage = /\.nupkg$/i.test(name);
      if (!isPackage && !hasManifest(path)) return false;
      const bytes = isPackage ? readFileSync(path) : packed(path);
      const { nuspec, text } = nuspecIn(bytes, join(shown, name));
      all.push({ name: nuspec.name, version: nuspec.version.text, bytes, manifest: text });
      return true;
    },
    page: (request) => Promise.resolve(pageAt(all, request)),
    offer(base) {
      const url = `${base}${ROOT}/index.json`;
      const line = all.length === 0 ? undefined : count(all.length, 'NuGet package');
      return { key: 'nugetUrl', url, projects: [], files: 0, line, naming: undefined };
    },
  };
}

function hasManifest(folder: string): boolean {
  try {
    return readdirSync(folder).some((name) => /\.nuspec$/i.test(name));
  } catch {
    return false;
  }
}

/** A package of a folder: what lies in it, and what the conventions of the archive ask for. */
function packed(folder: string): Buffer {
  const scratch = makeScratch('package');
  try {
    const types = join(scratch, 'types.xml');
    writeFileSync(types, TYPES);
    const path = join(scratch, 'made.nupkg');
    const files = filesBelow(folder).filter(({ source }) => existsSync(source));
    writeStoredZip(
      path,
      [...files, { name: '[Content_Types].xml', source: types }].sort((a, b) => (a.name < b.name ? -1 : 1)),
    );
    return readFileSync(path);
  } finally {
    removeScratch(scratch);
  }
}

function pageAt(all: readonly Offered[], { path, base, fault }: PageRequest): Page | undefined {
  if (!path.startsWith(`${ROOT}/`)) return undefined;
  if (fault === 'html-as-json')
    return { kind: 'text', type: 'application/json', body: '<html>not what you asked for</html>', isTagged: false };
  const inside = path.slice(ROOT.length + 1);
  if (inside === 'index.json') return json(serviceIndex(base));
  const [, known, versionOrPage, file] = /^(?:flat|known)\/([^/]+)\/([^/]+)(?:\/([^/]+))?$/.exec(inside) ?? [];
  const named = all.filter(({ name }) => name.toLowerCase() === known);
  if (named.length === 0 || versionOrPage === undefined) return undefined;
  if (inside.startsWith('known/')) return leaf(named, versionOrPage, base, fault);
  if (file === undefined)
    return versionOrPage === 'index.json' ? json({ versions: named.map(({ version }) => version) }) : undefined;
  const one = named.find(({ version }) => version.toLowerCase() === versionOrPage);
  if (one === undefined) return undefined;
  if (file === fileOf(one.name, { text: one.version })) return { kind: 'file', bytes: one.bytes };
  return file === `${one.name.toLowerCase()}.nuspec`
    ? { kind: 'text', type: 'text/xml', body: one.manifest, isTagged: true }
    : undefined;
}

function serviceIndex(base: string): object {
  const at = (folder: string, type: string): object => ({ '@id': `${base}${ROOT}/${folder}/`, '@type': type });
  return {
    version: '3.0.0',
    resources: [at('flat', 'PackageBaseAddress/3.0.0'), at('known', 'RegistrationsBaseUrl/3.6.0')],
  };
}

function leaf(named: readonly Offered[], page: string, base: string, fault: PageFault | undefined): Page | undefined {
  const one = named.find(({ version }) => `${version.toLowerCase()}.json` === page);
  if (one === undefined) return undefined;
  const sha512 = createHash('sha512').update(one.bytes).digest('base64');
  const id = one.name.toLowerCase();
  return json({
    '@id': `${base}${ROOT}/known/${id}/${page}`,
    listed: true,
    packageContent: `${base}${ROOT}/flat/${id}/${one.version.toLowerCase()}/${fileOf(one.name, { text: one.version })}`,
    catalogEntry: {
      id: one.name,
      version: one.version,
      packageHashAlgorithm: 'SHA512',
      packageHash: fault === 'wrong-digest' ? Buffer.alloc(64).toString('base64') : sha512,
      packageSize: one.bytes.length,
    },
  });
}

function json(value: object): Page {
  return { kind: 'text', type: 'application/json', body: JSON.stringify(value), isTagged: true };
}
