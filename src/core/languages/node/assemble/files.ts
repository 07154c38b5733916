/** The files that may go into the artifact of a Node.js function: its own, those of its packages, and where they come from. */
import { join, resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import { baseOf, folderOf, joinPath } from '../../../base/paths';
import { severalAtOnce } from '../../../base/several';
import { fileDigest } from '../../../disk/digest';
import { FILE_MODE, PROGRAM_MODE, type FileSet, type Origin, type PackedEntry } from '../../../fileset/model';
import type { NodeFile } from './assembly';
import { unpackTarball } from '../../../disk/unpack/unpack-tarball';
import { ownerOf } from '../view/owner';
import type { PackageFile, PackageStore } from '../../../sources';
import type { AssemblyRequest } from '../../language';
import { npmSettings } from '../registry/npm-settings';
import type { LockedPackage } from '../../../project/lock/lockfile';
import { readNodeNeeds } from '../locks/needs';
import { workspaceFiles } from './shared-source';
import { mostUnpacked, packageStore, unpackedFolder } from '../../../project/user-packages';

/** A file with what the file set says of it. */
export interface KnownFile extends NodeFile {
  readonly origin: Origin;
  readonly mode: number;
}

const AT_ONCE = 8;
/** Files that have done their work when the packages are there and everything is compiled. */
const BUILD_FILES =
  /^(?:package-lock\.json|npm-shrinkwrap\.json|yarn\.lock|\.yarnrc|\.yarn\/.*|\.pnp\..*|pnpm-(?:lock|workspace)\.yaml|tsconfig(?:\..+)?\.json)$/;

/** Whether a file of the source folder is only for building. */
export function isBuildFile({ path, reason }: PackedEntry): boolean {
  return BUILD_FILES.test(baseOf(path)) && reason.why !== 'kept' && !path.includes('node_modules/');
}

/** Files of the source folder; packages that are installed there belong to themselves. */
export function sourceFiles(base: FileSet, knownDigests: ReadonlyMap<string, string>): KnownFile[] {
  return base.entries.flatMap((entry) => {
    if (entry.kind !== 'file' || isBuildFile(entry)) return [];
    const { path, source, size, mode } = entry;
    const owner = ownerOf(path);
    const origin: Origin =
      owner === ''
        ? entry.origin
        : { from: 'unlocked', name: owner.replace(/^.*node_modules\//, ''), at: path.slice(owner.length + 1) };
    return [
      {
        path,
        source,
        size,
        mode,
        origin,
        owner,
        isOwn: owner === '',
        isInstalled: owner !== '',
        sha256: digestOf(source, knownDigests.get(path)),
      },
    ];
  });
}

function digestOf(source: string, known: string | undefined): () => string {
  let digest = known;
  return () => (digest ??= fileDigest(source));
}

/** Files of the project's own packages. */
export function sharedPackageFiles({ project, locked }: AssemblyRequest<'node'>): KnownFile[] {
  return (locked?.node?.workspaces ?? []).flatMap((workspace) =>
    workspaceFiles(project, workspace)
      .filter(({ path }) => !BUILD_FILES.test(baseOf(path)))
      .map(({ path, source, stamp, mode }) => ({
        path: joinPath(workspace.at, path),
        source,
        size: stamp.size,
        mode: (mode & 0o100) !== 0 ? PROGRAM_MODE : FILE_MODE,
        origin: { from: 'source', at: joinPath(workspace.folder, path) } as const,
        owner: workspace.at,
        isOwn: true,
        sha256: digestOf(source, undefined),
      })),
  );
}

/** Files of the locked packages, fetched by their digests where they are not here yet. */
export async function packageFiles(request: AssemblyRequest<'node'>): Promise<KnownFile[]> {
  const { project, packages } = request;
  const store = packageStore(project);
  await fetchMissing(request, store);
  const files: KnownFile[] = [];
  for (const one of packages) {
    const folder = unpackedFolder(project, one.sha256);
    const unpacked = await unpackTarball({
      path: store.pathOf(one.sha256),
      file: one.file,
      folder,
      mustHave: 'package.json',
      mostBytes: mostUnpacked(project),
    });
    const { name, version, node: { at } = { at: '' } } = one;
    for (const { path, sha256, size, isProgram } of unpacked.files)
      files.push({
        path: joinPath(at, path),
        source: join(unpacked.folder, path),
        size,
        mode: isProgram ? PROGRAM_MODE : FILE_MODE,
        origin: { from: 'package', name, version, at: path },
        owner: at,
        isOwn: false,
        sha256: () => sha256,
      });
  }
  return files;
}

async function fetchMissing(
  { project, spec, packages, http, machine }: AssemblyRequest<'node'>,
  store: PackageStore,
): Promise<void> {
  const different = new Map(packages.map((one) => [one.sha256, one]));
  const open = [...different.values()].filter(({ sha256 }) => store.find(sha256) === undefined);
  if (open.length === 0) return;
  const { credentials, way } = npmSettings(project, spec, folderOf(readNodeNeeds(project, spec)?.lock ?? ''), machine);
  const client = (await http()).with({ credentials, way });
  const describe = ({ file, sha256, size, from }: LockedPackage): PackageFile => {
    const url = /^https?:/.test(from) ? from : pathToFileURL(resolve(project.root, from)).href;
    return { file, sha256, size, url };
  };
  await severalAtOnce(open, AT_ONCE, (one) => store.get(describe(one), client));
}
