/**
 * What an image stands on. `lock` settles it to digests for every architecture; a build takes what was settled from the
 * store, or makes or fetches just that again.
 */
import { rmSync } from 'node:fs';
import { join } from 'node:path';
import { EmballageError } from '../../../base/errors';
import { present } from '../../../base/present';
import { printable } from '../../../base/text';
import { contentDigest } from '../../../disk/digest';
import { openImage, type OpenImage } from '../../../disk/unpack/open-image';
import {
  describeBytes,
  hexOf,
  MAX_CONFIG_BYTES,
  OCI_CONFIG,
  OCI_MANIFEST,
  readBlob,
  readConfig,
  writeManifest,
  type Descriptor,
  type ImageConfig,
} from '../../../formats/oci';
import { findLibc } from '../../../disk/unpack/in-image';
import { workOf } from '../../../languages';
import { NO_INPUTS, type Inputs } from '../../../project/inputs';
import type { LockedBase, LockedBaseTarget } from '../../../project/lock/lockfile';
import type { Project } from '../../../project/targets';
import { isVerified, noteVerified } from '../../../project/verified';
import type { Arch, FunctionSpec } from '../../../sheet';
import type { Base } from '../own';
import { fetchBase, fetchBlobs, takeLayout } from './base-fetch';
import { layerFromRoot, layerFromRuntime } from './base-made';
import { basePath, rootNote, type BaseRequest, type TakenBase } from './base-parts';
import { rootSignature } from './base-root';
import { blobStore, type BlobStore } from '../blob-store';

/** A base whose every layer is in the store. */
export interface ReadyBase {
  readonly locked: LockedBaseTarget;
  readonly config: ImageConfig;
  readonly layers: readonly Descriptor[];
}

/** Digest of what the sheet says about the base; undefined where it stands on nothing. */
export function baseInputs(spec: FunctionSpec): string | undefined {
  const base = baseOfSpec(spec);
  if (base.kind === 'empty') return undefined;
  return contentDigest(JSON.stringify([base, spec.archs, spec.runtime.text]));
}

/** What the sheet says an image stands on. */
export function baseOfSpec(spec: FunctionSpec): Base {
  return spec.image?.base ?? { kind: 'empty' };
}

/**
 * Settles the base of a function for all its architectures.
 * @param known what was settled before; what is the same is not looked into again
 */
export async function settleBase(
  request: BaseRequest,
  onSettling: (arch: Arch) => void,
  known: LockedBase | undefined,
): Promise<LockedBase> {
  const { spec } = request;
  const inputs = baseInputs(spec) ?? '';
  const targets: Record<string, LockedBaseTarget> = {};
  for (const arch of spec.archs) {
    onSettling(arch);
    const taken = await take(request, arch);
    const before = known?.inputs === inputs ? known.targets[arch] : undefined;
    targets[arch] =
      before !== undefined && isSame(before, taken)
        ? { ...before, from: taken.from, ...present({ digest: taken.digest }) }
        : await inspected(request, taken);
  }
  return { inputs, targets };
}

/** Brings everything of a base into the store. */
function take(request: BaseRequest, arch: Arch): Promise<TakenBase> {
  const base = baseOfSpec(request.spec);
  const store = blobStore(request.project);
  switch (base.kind) {
    case 'image':
      return fetchBase(request, base, arch, store);
    case 'layout':
      return takeLayout(request, base, arch, store);
    case 'root':
      return layerFromRoot(request, base.path, arch, store);
    case 'runtime':
      return layerFromRuntime(request, base.runtime, arch, store);
    case 'empty':
      throw new Error('an empty base has nothing to settle');
  }
}

/** What is in it: the runtime, its version, the C library. */
async function inspected({ project, spec }: BaseRequest, taken: TakenBase): Promise<LockedBaseTarget> {
  const { from, digest, config, layers } = taken;
  const { run } = await workOf(spec);
  const found = await withOpenBase(project, taken, (image) => ({
    runtime: run.image.find(image, image.config.run.env, spec.runtime.version),
    libc: findLibc(image),
  }));
  return {
    from,
    config: { digest: config.digest, size: config.size },
    layers: layers.map(({ mediaType, digest: own, size, diffId }) => ({ mediaType, digest: own, size, diffId })),
    ...present({
      digest,
      program: found.runtime?.program,
      version: found.runtime?.version,
      glibc: found.libc?.version,
    }),
  };
}

async function withOpenBase<T>(
  project: Project,
  { config, layers }: TakenBase,
  use: (image: OpenImage) => T,
): Promise<T> {
  const store = blobStore(project);
  const scratch = project.state.scratch(`base-${hexOf(config.digest).slice(0, 12)}`);
  const manifest = { mediaType: OCI_MANIFEST, config, layers, annotations: {} };
  const manifestBytes = writeManifest(manifest);
  const configBytes = readBlob(store, config, MAX_CONFIG_BYTES);
  const documents = {
    descriptor: describeBytes(OCI_MANIFEST, manifestBytes),
    manifest,
    manifestBytes,
    configBytes,
    config: readConfig(configBytes, 'the base'),
  };
  try {
    const image = await openImage(store, documents, scratch);
    try {
      return use(image);
    } finally {
      image.close();
    }
  } finally {
    rmSync(scratch, { recursive: true, force: true });
  }
}

/**
 * The base that was settled, with every layer in the store.
 * @param locked undefined for a function that stands on nothing
 * @throws EmballageError LOCK_OUTDATED when what is here is not what was settled
 */
export async function readyBase(
  request: BaseRequest,
  arch: Arch,
  locked: LockedBase | undefined,
): Promise<ReadyBase | undefined> {
  const settled = locked?.targets[arch];
  if (settled === undefined) return undefined;
  const store = blobStore(request.project);
  const config: Descriptor = { mediaType: OCI_CONFIG, ...settled.config };
  const wanted = [config, ...settled.layers];
  const base = baseOfSpec(request.spec);
  const hasChanged = base.kind === 'root' && rootHasChanged(request.project, base.path, arch, store);
  if (hasChanged || !store.hasAll(wanted)) await takeAgain(request, base, arch, settled, wanted);
  return {
    locked: settled,
    config: configOfBase(request, config),
    layers: settled.layers,
  };
}

/** Read with the schema library the first time only. */
function configOfBase({ project, spec }: BaseRequest, config: Descriptor): ImageConfig {
  const key = contentDigest(`the configuration of an image ${config.digest}`);
  const known = isVerified(project.state, key);
  const read = readConfig(readBlob(blobStore(project), config, MAX_CONFIG_BYTES), `the base of ${spec.name}`, known);
  if (!known) noteVerified(project.state, key);
  return read;
}

/** A root file system that looks as it did when its layer was made has not changed; nor has one that is not here. */
function rootHasChanged(project: Project, path: string, arch: Arch, store: BlobStore): boolean {
  const at = basePath(path, arch);
  const signature = rootSignature(join(project.root, at));
  if (signature === '') return false;
  const note = store.recall(rootNote(at)) as { readonly signature: string } | undefined;
  return note?.signature !== signature;
}

async function takeAgain(
  request: BaseRequest,
  base: Base,
  arch: Arch,
  settled: LockedBaseTarget,
  wanted: readonly Descriptor[],
): Promise<void> {
  const store = blobStore(request.project);
  if (base.kind === 'image') {
    await fetchBlobs(request, base, wanted, store);
    return;
  }
  const taken = await take(request, arch);
  if (isSame(settled, taken)) return;
  throw new EmballageError('LOCK_OUTDATED', {
    doing: `looking up what ${request.spec.name} stands on`,
    where: printable(settled.from),
    expected: `what the lock has for ${arch}: ${settled.layers.map(({ digest }) => digest.slice(0, 19)).join(', ')}`,
    found:
      base.kind === 'runtime'
        ? `another on this machine: ${taken.from}`
        : `another: ${taken.layers.map(({ digest }) => digest.slice(0, 19)).join(', ')}`,
    mend:
      base.kind === 'runtime'
        ? `build on the machine it was locked on, or run \`emballage lock ${request.spec.name}\``
        : `run \`emballage lock ${request.spec.name}\``,
  });
}

function isSame(settled: LockedBaseTarget, taken: TakenBase): boolean {
  const [a, b] = [settled, taken].map(({ config, layers }) => [config, ...layers].map(({ digest }) => digest).join());
  return a === b;
}

/** Whether everything that the lock has for a base is in the store; then locking again asks nobody. */
export function hasBase(project: Project, locked: LockedBase): boolean {
  const store = blobStore(project);
  return Object.values(locked.targets).every(({ config, layers }) => store.hasAll([config, ...layers]));
}

/** What an image depends on: what was settled, what starters are told, and the files of a base that is not known by its digest. */
export function imageInputs(project: Project, spec: FunctionSpec, locked: LockedBase | undefined): Inputs {
  const destination = project.sheet.destinations[spec.destination];
  const given = { memory: destination?.memory, timeoutMostMs: destination?.timeoutMostMs };
  const base = baseOfSpec(spec);
  if (base.kind !== 'root') return { ...NO_INPUTS, values: { base: locked, ...given } };
  const paths = spec.archs.map((arch) => basePath(base.path, arch));
  const root = paths.map((path) => rootSignature(join(project.root, path)));
  // Too many files to look at each: the signature is made of all of them.
  const folders = paths.map((folder) => ({ folder, items: [], hasLinks: true }));
  return { ...NO_INPUTS, values: { base: locked, ...given, root }, folders };
}
