/** Reads `pnpm-lock.yaml`, lockfile versions 6 and 9: importers by folder, packages, and how each of them is installed. */
import { joinPath, settlePath } from '../../../base/paths';
import { printable } from '../../../base/text';
import type { GraphEdge, GraphPackage, LockFolders, LockGraph } from './lock-graph';
import { asRecord, invalid, texts } from './package-lock';
import { readYamlLock, type YamlLock } from './yaml-lock';

const KINDS = ['dependencies', 'optionalDependencies'] as const;

/** @throws EmballageError REQUIREMENTS_INVALID */
export function readPnpmLock(text: string, shown: string, folders: LockFolders): LockGraph {
  const lock = readYamlLock(text, shown);
  const { value } = lock;
  const version = String(value.lockfileVersion).split('.')[0];
  if (version !== '6' && version !== '9')
    throw invalid(
      lock.place('lockfileVersion'),
      '`lockfileVersion` 6 or 9',
      `\`${printable(String(value.lockfileVersion))}\``,
      'write it anew with pnpm 8 or later: `pnpm install --lockfile-only`',
    );
  if (Object.keys(asRecord(value.patchedDependencies)).length > 0)
    throw invalid(
      lock.place('patchedDependencies'),
      'packages as their registry has them',
      `a patch of \`${printable(Object.keys(asRecord(value.patchedDependencies))[0] ?? '')}\``,
      'publish what was patched under a version of its own',
    );
  const packages = asRecord(value.packages);
  // Version 6 says of each package how it is installed; version 9 does so apart, once for each set of peers.
  const instances = version === '6' ? packages : asRecord(value.snapshots);
  const graph = new Map<string, GraphPackage>();
  for (const [key, one] of Object.entries(instances)) {
    const id = plainKey(key);
    const described = asRecord(packages[key] ?? packages[withoutPeers(key)]);
    graph.set(id, readPackage(id, key, { described, instance: asRecord(one), lock }));
  }
  // Without workspaces the root stands for itself.
  const importers = value.importers === undefined ? { '.': value } : asRecord(value.importers);
  for (const [at, importer] of Object.entries(importers)) {
    const folder = at === '.' ? '' : at;
    const known = folders.all.find((one) => one.folder === folder);
    graph.set(folder, {
      id: folder,
      folder,
      name: known?.name ?? folder,
      version: known?.version ?? '',
      finds: KINDS.flatMap((kind) => importerEdges(asRecord(asRecord(importer)[kind]), kind, folder)),
    });
  }
  return graph;
}

function importerEdges(table: Record<string, unknown>, kind: (typeof KINDS)[number], folder: string): GraphEdge[] {
  return Object.entries(table).map(([name, one]) => {
    const { specifier, version } = asRecord(one);
    return { name, kind, range: String(specifier), to: targetOf(name, String(version), folder) };
  });
}

/** `1.0.0(peer@2)`, `is-number@6.0.0` for an alias, `link:../words` for a folder of the project. */
function targetOf(name: string, version: string, folder: string): string | undefined {
  if (version.startsWith('link:')) return settlePath(joinPath(folder, version.slice('link:'.length)));
  const plain = plainKey(version);
  const isWhole = plain.indexOf('@', 1) > 0 && !/^[^@(]*\(/.test(plain);
  return isWhole ? plain : `${name}@${plain}`;
}

/** Version 6 writes a slash before keys. */
function plainKey(key: string): string {
  return key.startsWith('/') ? key.slice(1) : key;
}

function withoutPeers(key: string): string {
  return key.replace(/\(.*$/, '');
}

interface Described {
  readonly described: Record<string, unknown>;
  readonly instance: Record<string, unknown>;
  readonly lock: YamlLock;
}

function readPackage(id: string, key: string, { described, instance, lock }: Described): GraphPackage {
  const plain = withoutPeers(id);
  const at = plain.indexOf('@', 1);
  const [name, version] = [plain.slice(0, at), plain.slice(at + 1)];
  const { integrity, tarball, type, directory } = asRecord(described.resolution);
  if (typeof integrity !== 'string' || type !== undefined || directory !== undefined)
    throw invalid(
      lock.place('packages', withoutPeers(key) in asRecord(lock.value.packages) ? withoutPeers(key) : key),
      'a package of a registry, with its digest',
      `\`${printable(id)}\`${typeof type === 'string' ? ` of type ${printable(type)}` : ''}`,
      'take it from a registry; what comes out of version control has no digest to hold it to',
    );
  const list = (words: unknown): string[] => (Array.isArray(words) ? words : [words]).map(String);
  const { engines, os, cpu, libc } = described;
  const { node } = asRecord(engines);
  return {
    id,
    name,
    version,
    integrity,
    ...(typeof tarball === 'string' && { resolved: tarball }),
    ...(typeof node === 'string' && { engines: node }),
    ...(os !== undefined && { os: list(os) }),
    ...(cpu !== undefined && { cpu: list(cpu) }),
    ...(libc !== undefined && { libc: list(libc) }),
    ...(described.requiresBuild === true && { hasInstallScript: true }),
    finds: KINDS.flatMap((kind) =>
      Object.entries(texts(instance[kind])).map(([one, range]) => ({
        name: one,
        kind,
        range: withoutPeers(range),
        to: targetOf(one, range, ''),
      })),
    ),
  };
}
