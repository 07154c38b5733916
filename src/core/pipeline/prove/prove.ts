/** Proves that artifacts are reproducible: builds them again in changed surroundings and compares the bytes. */
import { statSync } from 'node:fs';
import { join } from 'node:path';
import { listTree } from '../../disk/copy-project';
import { withFileSource } from '../../disk/file-source';
import type { ByteSource } from '../../formats/byte-source';
import { firstElfDifference } from '../../formats/elf';
import { firstImageDifference } from '../../formats/oci/compare';
import { firstZipDifference, type ZipDifference } from '../../formats/zip';
import { OUTPUT_FOLDER, STATE_FOLDER } from '../../fileset/selection';
import { VARIATIONS, type Variation } from './variations';
import { artifactPath, targetsOf, waybillPath, type Project, type Target } from '../../project/targets';
import type { Form, FunctionSpec } from '../../sheet';
import { basePath } from '../image/base-parts';
import { lockNameOf } from '../../project/lockfile';
import { lockedFunction, statedNeeds } from '../lock/locked';
import { sharedFiles } from '../../languages/node/shared-source';
import { fileDigest } from '../../disk/digest';

/** Builds the functions again as a variation wants it; gives the absolute path of the project folder it built in. */
export type Rebuild = (variation: Variation) => Promise<string>;

export interface ProofDifference {
  readonly name: string;
  readonly arch: string;
  /** Which of the two files differs. */
  readonly file: 'artifact' | 'waybill';
  /** The first difference inside the artifact; a waybill is only compared as a whole. */
  readonly detail?: ZipDifference;
}

export interface ProofLine {
  readonly variation: Variation;
  readonly differences: readonly ProofDifference[];
}

/**
 * @param project the project with its artifacts up to date
 * @param onLine told after each variation
 */
export async function prove(
  project: Project,
  functions: readonly FunctionSpec[],
  rebuild: Rebuild,
  onLine: (line: ProofLine) => void,
  variations: readonly Variation[] = VARIATIONS,
): Promise<ProofLine[]> {
  const lines: ProofLine[] = [];
  for (const variation of variations) {
    const otherRoot = await rebuild(variation);
    const differences: ProofDifference[] = [];
    for (const target of targetsOf(functions))
      differences.push(...(await compareTarget(project.root, otherRoot, target)));
    const line = { variation, differences };
    lines.push(line);
    onLine(line);
  }
  return lines;
}

/** What a build of the functions reads, for copying it elsewhere. Folders of other functions are there, but empty. */
export async function filesToCopy(
  project: Project,
  functions: readonly FunctionSpec[],
): Promise<{ files: string[]; folders: string[]; emptyFiles: string[] }> {
  const files = new Set(project.files);
  const emptyFiles = new Set<string>();
  const folders = new Set<string>();
  const skip = (path: string, name: string): boolean =>
    path === OUTPUT_FOLDER || name === STATE_FOLDER || name === '.git';
  for (const spec of project.sheet.functions) {
    folders.add(spec.source);
    // Events that are named without a pattern have to be there for the sheet to be right.
    for (const event of spec.events) if (!/[*?[{]/.test(event)) files.add(event);
    for (const { path, isFolder } of basePlaces(project, spec)) (isFolder ? folders : emptyFiles).add(path);
    for (const source of spec.sources) if (source.kind === 'folder') folders.add(source.at);
    if (spec.needs?.kind === 'file') files.add(spec.needs.path);
    if (!functions.includes(spec)) continue;
    // What was fetched is known by its digest; only what is made of it is made again.
    for (const file of [...(await packageFiles(project, spec)), ...(await baseFiles(project, spec))]) files.add(file);
    const below = listTree(project.root, spec.source, skip);
    below.files.forEach((file) => files.add(file));
    below.folders.forEach((folder) => folders.add(folder));
  }
  return { files: [...files], folders: [...folders], emptyFiles: [...emptyFiles] };
}

/** Where bases of the project lie, each with whether it is a folder. */
function basePlaces(project: Project, spec: FunctionSpec): { path: string; isFolder: boolean }[] {
  const base = spec.image?.base;
  if (base?.kind !== 'root' && base?.kind !== 'layout') return [];
  return spec.archs.flatMap((arch) => {
    const path = basePath(base.path, arch);
    const stat = statSync(join(project.root, path), { throwIfNoEntry: false });
    return stat === undefined ? [] : [{ path, isFolder: stat.isDirectory() }];
  });
}

/** The lock, and the blobs of a base that it names: what was settled is known by its digest. */
async function baseFiles(project: Project, spec: FunctionSpec): Promise<string[]> {
  if (spec.form !== 'image') return [];
  const { lockedBase } = await import('../image/locked-base');
  const locked = lockedBase(project, spec);
  if (locked === undefined) return [];
  const blobs = Object.values(locked.targets).flatMap(({ config, layers }) => [config, ...layers]);
  return [
    lockNameOf(project),
    ...new Set(blobs.map(({ digest }) => `${STATE_FOLDER}/blobs/${digest.slice('sha256:'.length)}`)),
  ];
}

/** The lock, the files that state requirements, and the packages that the lock names. */
async function packageFiles(project: Project, spec: FunctionSpec): Promise<string[]> {
  const needs = await statedNeeds(project, spec);
  const locked = await lockedFunction(project, spec);
  const shared = sharedFiles(project, spec, locked);
  if (needs === undefined || locked === undefined) return shared;
  const digests = new Set(Object.values(locked.targets).flatMap((packages) => packages.map(({ sha256 }) => sha256)));
  return [
    lockNameOf(project),
    ...needs.files,
    ...shared,
    ...[...digests].map((sha256) => `${STATE_FOLDER}/packages/${sha256}`),
  ];
}

const DIFFERENCES: Readonly<Record<Form, (a: ByteSource, b: ByteSource) => ZipDifference | undefined>> = {
  zip: firstZipDifference,
  jar: firstZipDifference,
  binary: firstElfDifference,
  image: firstImageDifference,
};

async function compareTarget(rootA: string, rootB: string, target: Target): Promise<ProofDifference[]> {
  const at = { name: target.spec.name, arch: target.arch };
  const path = artifactPath(target);
  const [a, b] = [join(rootA, path), join(rootB, path)];
  if (fileDigest(a) !== fileDigest(b)) {
    const detail = await withFileSource(a, path, (first) =>
      withFileSource(b, path, (second) => DIFFERENCES[target.spec.form](first, second)),
    );
    return [{ ...at, file: 'artifact', ...(detail !== undefined && { detail }) }];
  }
  const waybill = waybillPath(target);
  return fileDigest(join(rootA, waybill)) === fileDigest(join(rootB, waybill)) ? [] : [{ ...at, file: 'waybill' }];
}
