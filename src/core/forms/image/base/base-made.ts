/** Bases that become one layer here: a root file system, a runtime of the machine. */
import { rmSync } from 'node:fs';
import { join } from 'node:path';
import { describeConfig, OCI_LAYER_GZIP, writeConfig, type ImageConfig } from '../../../formats/oci';
import { packLayer, type LayerEntry } from '../layer';
import type { Arch } from '../../../sheet';
import { basePath, emptyConfig, rootNote, type BaseRequest, type TakenBase } from './base-parts';
import { rootEntries, rootSignature } from './base-root';
import { runtimeLayer } from './base-runtime';
import type { BlobStore } from '../blob-store';

/** A base of one layer from a root file system of the project; the layer made before where nothing changed. */
export async function layerFromRoot(
  request: BaseRequest,
  path: string,
  arch: Arch,
  store: BlobStore,
): Promise<TakenBase> {
  const { project, spec } = request;
  const shown = basePath(path, arch);
  const at = join(project.root, shown);
  const signature = rootSignature(at);
  const known = store.recall(rootNote(shown)) as RootNote | undefined;
  if (
    known?.signature === signature &&
    known.taken !== undefined &&
    store.hasAll([known.taken.config, ...known.taken.layers])
  )
    return known.taken;
  const scratch = project.state.scratch(`root-${spec.name}`);
  try {
    const entries = await rootEntries({ path: at, shown, scratch });
    const taken = await pack(request, entries, emptyConfig(arch), shown, store);
    store.remember(rootNote(shown), { signature, taken } satisfies RootNote);
    return taken;
  } finally {
    rmSync(scratch, { recursive: true, force: true });
  }
}

/** What a root file system looked like, and what came of it. */
interface RootNote {
  readonly signature: string;
  readonly taken?: TakenBase;
}

/** A base of one layer from what this machine has of a runtime. */
export async function layerFromRuntime(
  request: BaseRequest,
  runtime: string,
  arch: Arch,
  store: BlobStore,
): Promise<TakenBase> {
  const { from, entries, env } = await runtimeLayer(runtime, request.spec, arch, request.machine);
  const config = emptyConfig(arch);
  return pack(request, entries, { ...config, run: { ...config.run, env } }, from, store);
}

async function pack(
  { compressor, onProgress }: BaseRequest,
  entries: readonly LayerEntry[],
  config: ImageConfig,
  from: string,
  store: BlobStore,
): Promise<TakenBase> {
  const total = entries.reduce((sum, one) => sum + (one.kind === 'file' ? one.size : 0), 0);
  const sink = store.begin();
  try {
    // Times of what others made say nothing about it.
    const { diffId } = await packLayer({
      entries,
      compressor,
      sink,
      mtimeSeconds: 0,
      onProgress: (done) => onProgress?.(`packing ${from}`, done, total),
    });
    const hex = sink.close();
    const { size } = store.takeIn(sink.path, hex);
    const configBytes = writeConfig({
      ...config,
      diffIds: [`sha256:${diffId}`],
      history: [{ created_by: `emballage base: ${from}` }],
    });
    store.put(configBytes);
    return {
      from,
      config: describeConfig(configBytes),
      layers: [{ mediaType: OCI_LAYER_GZIP, digest: `sha256:${hex}`, size, diffId: `sha256:${diffId}` }],
    };
  } catch (error) {
    sink.discard();
    throw error;
  }
}
