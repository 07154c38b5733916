/** Fetches what a function in native code needs, and notes every file: each must be what its language has locked. */
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { EmballageError } from '../../base/errors';
import { baseOf } from '../../base/paths';
import { listed, literalPattern, printable } from '../../base/text';
import { severalAtOnce } from '../../base/several';
import { contentDigest } from '../../disk/digest';
import { sourceOfBytes } from '../../formats/byte-source';
import { openZip, readEntry } from '../../formats/zip';
import { dirHash, escapedPath, type GoFile, type LockedCrate } from '.';
import { crateAddress, NOT_FOUND, PackageStore, withoutCredentials, type HttpClient } from '../../sources';
import type { Arch, FunctionSpec, Source } from '../../sheet';
import type { LockedFunction, LockedPackage } from '../../project/lockfile';
import type { NativeNeeds } from './needs';
import { stateFolder, type Project } from '../../project/targets';

export interface NativeSettling {
  readonly project: Project;
  readonly spec: FunctionSpec;
  readonly needs: NativeNeeds;
  readonly http: HttpClient;
  readonly onSettling: (name: string, arch: Arch) => void;
}

const AT_ONCE = 8;
/** The largest module that Go takes (Go Modules Reference, "File path and size constraints"), and larger than any crate. */
const MAX_FILE_BYTES = 500 * 1024 * 1024;

/** Code is the same for all architectures, and so is what it needs. */
export async function settleNativeFunction(settling: NativeSettling): Promise<LockedFunction> {
  const { spec, needs, project, onSettling } = settling;
  for (const arch of spec.archs) onSettling(spec.name, arch);
  if (spec.sources.length === 0) throw noSources(settling);
  const store = new PackageStore(join(stateFolder(project), 'packages'));
  const packages = new Map<string, LockedPackage>();
  const open: (() => Promise<LockedPackage>)[] = [
    ...needs.crates.map((crate) => () => settleCrate(settling, store, crate)),
    ...needs.modules.map((file) => () => settleModule(settling, store, file)),
  ];
  await severalAtOnce(open, AT_ONCE, async (settle) => {
    const one = await settle();
    packages.set(`${one.name}\0${one.version}\0${one.file}`, one);
  });
  const sorted = [...packages].sort(([a], [b]) => (a < b ? -1 : 1)).map(([, one]) => one);
  return { inputs: needs.inputs, targets: Object.fromEntries(spec.archs.map((arch) => [arch, sorted])) };
}

async function settleCrate(settling: NativeSettling, store: PackageStore, crate: LockedCrate): Promise<LockedPackage> {
  const { name, version, sha256, by } = crate;
  const file = `${name}-${version}.crate`;
  const { bytes, index, from } = await fetchFirst(settling, name, {
    inFolder: (folder) => join(folder, file),
    atIndex: (at, http) => crateAddress(http, at, crate),
  });
  const found = contentDigest(bytes);
  if (found !== sha256) throw mismatch(file, from, `SHA-256 ${sha256}`, `SHA-256 ${found}`);
  const { size } = store.put(bytes);
  return { name, version, file, sha256, size, index, from, by: [...by] };
}

async function settleModule(settling: NativeSettling, store: PackageStore, wanted: GoFile): Promise<LockedPackage> {
  const { module, version, kind, hash } = wanted;
  const path = `${escapedPath(module)}/@v/${escapedPath(version)}.${kind}`;
  const { bytes, index, from } = await fetchFirst(settling, module, {
    inFolder: (folder) => join(folder, path),
    atIndex: (at) => Promise.resolve(`${at.replace(/\/+$/, '')}/${path}`),
  });
  const file = `${baseOf(module)}@${version}.${kind}`;
  const found = kind === 'mod' ? dirHash([{ name: 'go.mod', sha256: contentDigest(bytes) }]) : zipHash(bytes, file);
  if (found !== hash) throw mismatch(file, from, hash, found);
  const { sha256, size } = store.put(bytes);
  return { name: module, version, file, sha256, size, index, from, by: settling.needs.files.map((one) => one) };
}

function zipHash(bytes: Buffer, file: string): string {
  const source = sourceOfBytes(bytes);
  const { entries } = openZip(source, file);
  return dirHash(
    entries
      .filter(({ kind }) => kind === 'file')
      .map((entry) => ({ name: entry.path, sha256: contentDigest(readEntry(source, entry, MAX_FILE_BYTES)) })),
  );
}

interface Where {
  /** Absolute path of the file in a folder that stands for a registry. */
  readonly inFolder: (folder: string) => string;
  readonly atIndex: (index: string, http: HttpClient) => Promise<string>;
}

/** From the first source that has it; those that name what they serve serve nothing else. */
async function fetchFirst(
  { project, spec, http }: NativeSettling,
  name: string,
  where: Where,
): Promise<{ bytes: Buffer; index: string; from: string }> {
  const serving = spec.sources.filter(({ serves }) => serves === undefined || serves.some((one) => fits(one, name)));
  const pinned = serving.filter(({ serves }) => serves !== undefined);
  const asked = pinned.length > 0 ? pinned : serving;
  for (const source of asked) {
    const found = await fetchFrom(project, source, where, http, name);
    if (found !== undefined) return found;
  }
  throw new EmballageError('SOURCE_INVALID', {
    doing: `settling what ${spec.name} needs`,
    where: printable(name),
    expected: `it at ${listed(asked.map(({ at }) => printable(withoutCredentials(at)), 'or'))}`,
    found: 'nothing there',
    mend: 'name the source that has it under `sources`',
  });
}

async function fetchFrom(
  project: Project,
  source: Source,
  where: Where,
  http: HttpClient,
  name: string,
): Promise<{ bytes: Buffer; index: string; from: string } | undefined> {
  if (source.kind === 'folder') {
    const path = where.inFolder(join(project.root, source.at));
    if (!existsSync(path)) return undefined;
    return { bytes: readFileSync(path), index: source.at, from: path.slice(project.root.length + 1) };
  }
  const url = await where.atIndex(source.at, http);
  const page = await http.fetch({ url, maxBytes: MAX_FILE_BYTES, doing: `fetching ${printable(name)}` });
  if (page === NOT_FOUND) return undefined;
  return { bytes: page.bytes, index: withoutCredentials(source.at), from: withoutCredentials(url) };
}

function fits(pattern: string, name: string): boolean {
  const text = pattern.split('*').map(literalPattern).join('.*');
  return new RegExp(`^${text}$`).test(name);
}

function mismatch(file: string, from: string, expected: string, found: string): EmballageError {
  return new EmballageError('SOURCE_MISMATCH', {
    doing: `fetching ${printable(file)}`,
    where: printable(from),
    expected: `${expected}, as the language has locked it`,
    found,
    mend: 'find out why the file changed before you trust it',
  });
}

function noSources({ spec, project, needs }: NativeSettling): EmballageError {
  return new EmballageError('REQUIREMENTS_INVALID', {
    doing: `settling what ${spec.name} needs`,
    where: needs.files[0] ?? project.files[0] ?? '',
    expected: '`sources`: where the packages come from',
    found: 'none, here or in `defaults`',
    mend:
      spec.runtime.language === 'go'
        ? 'add `sources: [{ index: "https://…" }]` with a module proxy, or commit the `vendor` folder that `go mod vendor` makes'
        : 'add `sources: [{ index: "https://…" }]` with the sparse index of a registry, or commit what `cargo vendor` makes, with its settings',
  });
}
