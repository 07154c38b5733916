/** Makes the image of a function for one architecture: layers from the store or made anew, configuration, manifest, layout. */
import { readFileSync, rmSync } from 'node:fs';
import { inflateRawSync } from 'node:zlib';
import { contentDigest, fileDigest } from '../../disk/digest';
import { sortEntries } from '../../fileset/collect';
import type { PackedContent, PackedEntry, PackedFile } from '../../fileset/model';
import { DEFLATE_ENCODER } from '../../formats/deflate';
import { hexOf, OCI_LAYER_GZIP, type Descriptor } from '../../formats/oci';
import { METHOD_STORED } from '../../formats/zip';
import { directCompressor, THREADS_PAY_FROM_BYTES, type Compressor } from '../packing';
import { imageDocuments, layoutIndex, type StackedLayer } from './documents';
import { packLayer, type LayerEntry } from './layer';
import { callsOf, type Arch, type Destination, type Entry, type FunctionSpec } from '../../sheet';
import type { Waybill } from '../../waybill';
import type { Project } from '../../project/targets';
import type { LaidOut } from '../form';
import type { ReadyBase } from './base/base';
import type { BlobStore } from './blob-store';
import type { ImageRun } from '../../languages';
import type { LayerNote } from './layer-note';
import { placeLayout } from './layout-folder';
import { cutLayers, FUNCTION_FOLDER, placedPath, startCommand, type CutLayer } from './cut';

export interface ImageRequest {
  readonly project: Project;
  readonly spec: FunctionSpec;
  readonly arch: Arch;
  readonly destination: Destination | undefined;
  readonly entries: readonly PackedEntry[];
  readonly hostEntry: Entry;
  /** How images start functions of its language. */
  readonly run: ImageRun;
  readonly base: ReadyBase | undefined;
  readonly store: BlobStore;
  readonly compressor: Compressor;
  /** Seconds since 1970. */
  readonly epochSeconds: number;
  /** SHA-256 of a file as it was read before; undefined where everything is read anyway. */
  readonly digestOf: ((file: PackedFile) => string) | undefined;
  readonly pieces: (file: PackedFile) => Iterable<Uint8Array>;
  readonly stretch: (file: PackedFile, content: PackedContent) => Uint8Array;
  readonly onProgress: (doneBytes: number) => void;
}

export interface MadeImage extends LaidOut {
  /** SHA-256 of the manifest, in hexadecimal: the image’s digest. */
  readonly sha256: string;
  /** Bytes of all blobs, as they are sent. */
  readonly size: number;
  readonly unpacked: number;
  readonly packed: number;
  /** Writes the layout, whole or not at all. @param path absolute */
  place(path: string): void;
}

interface MadeLayer extends StackedLayer {
  readonly name: string;
  readonly entries: readonly PackedEntry[];
  readonly digests: Readonly<Record<string, string>>;
  readonly unpacked: number;
  readonly isNew: boolean;
}

/** On which what is called by HTTP listens where PORT is not set. */
const USUAL_PORT = 8080;

/** Cuts and packs the layers of a function, and writes the documents of its image. */
export async function makeImage(request: ImageRequest): Promise<MadeImage> {
  const { base, spec, arch, store, epochSeconds } = request;
  const layers: MadeLayer[] = [];
  for (const cut of cutLayers(request)) layers.push(await makeLayer(request, cut));
  const command = startCommand(request, base?.locked.program);
  const documents = imageDocuments({
    arch,
    epochSeconds,
    layers,
    command,
    title: spec.name,
    base: base === undefined ? undefined : { ...base, name: base.locked.from, digest: base.locked.digest },
    workingFolder: `/${FUNCTION_FOLDER}`,
    user: spec.image?.user ?? '',
    labels: spec.image?.labels ?? {},
    port: callsOf(request.destination).image === 'http' ? USUAL_PORT : undefined,
  });
  const { manifest, config, manifestBytes, configBytes } = documents;
  for (const bytes of [manifestBytes, configBytes]) store.put(bytes);
  const blobs = [manifest, config, ...(base?.layers ?? []), ...layers.map(({ descriptor }) => descriptor)];
  return {
    fileSet: { entries: sortEntries([...allEntries(layers)]) },
    digests: new Map(layers.flatMap(({ digests }) => Object.entries(digests))),
    sha256: hexOf(manifest.digest),
    size: blobs.reduce((sum, { size }) => sum + size, 0),
    unpacked: layers.reduce((sum, { unpacked }) => sum + unpacked, 0),
    packed: layers.reduce((sum, { isNew, entries }) => sum + (isNew ? entries.length : 0), 0),
    layerOf: layerNames(layers),
    placed: placedPath,
    image: describeImage(request, layers, manifest, command),
    place: (path) =>
      placeLayout({ path, shown: path, index: layoutIndex({ manifest, arch, title: spec.name }), blobs, store }),
  };
}

async function makeLayer(request: ImageRequest, { name, entries }: CutLayer): Promise<MadeLayer> {
  const { store, digestOf, compressor, epochSeconds } = request;
  const known = digestOf === undefined && !entries.every(isKnown) ? undefined : knownDigests(entries, digestOf);
  const key = known === undefined ? undefined : keyOf(entries, known, epochSeconds);
  const found = key === undefined ? undefined : (findLayer(store, key) ?? (await fetchLayer(request, key)));
  if (found !== undefined && known !== undefined) return { name, entries, digests: known, ...found, isNew: false };
  const sink = store.begin();
  try {
    const { diffId, unpacked, digests } = await packLayer({
      entries: entries.map((entry) => layerEntry(entry, request)),
      compressor: bytesOf(entries) < THREADS_PAY_FROM_BYTES ? directCompressor : compressor,
      sink,
      mtimeSeconds: epochSeconds,
      onProgress: request.onProgress,
    });
    const hex = sink.close();
    const { size } = store.takeIn(sink.path, hex);
    const all = Object.fromEntries(digests);
    const made = keyOf(entries, all, epochSeconds);
    const note: LayerNote = { hex, size, diffId, unpacked };
    store.remember(made, note);
    const files = { layer: store.pathOf(hex), note: Buffer.from(JSON.stringify(note)) };
    request.project.state.shared.offer('layer', resultKey(made), files);
    return { name, entries, digests: all, ...layerOf({ hex, size, diffId, unpacked }), isNew: true };
  } catch (error) {
    sink.discard();
    throw error;
  }
}

function bytesOf(entries: readonly PackedEntry[]): number {
  return entries.reduce((sum, entry) => sum + (entry.kind === 'file' ? entry.size : 0), 0);
}

function isKnown(entry: PackedEntry): boolean {
  return entry.kind !== 'file' || entry.sha256 !== undefined;
}

function knownDigests(entries: readonly PackedEntry[], digestOf: ImageRequest['digestOf']): Record<string, string> {
  const digests: Record<string, string> = {};
  for (const entry of entries) {
    if (entry.kind === 'link') digests[entry.path] = contentDigest(entry.target);
    else if (entry.kind === 'file') digests[entry.path] = entry.sha256 ?? digestOf?.(entry) ?? '';
  }
  return digests;
}

/** Name of the note of a layer: everything that its bytes depend on. */
function keyOf(
  entries: readonly PackedEntry[],
  digests: Readonly<Record<string, string>>,
  epochSeconds: number,
): string {
  const lines = entries.map(({ kind, path, mode }) => `${kind}\0${path}\0${mode.toString(8)}\0${digests[path] ?? ''}`);
  return `layer-${contentDigest([DEFLATE_ENCODER, String(epochSeconds), ...lines].join('\n'))}.json`;
}

function findLayer(store: BlobStore, key: string): ReturnType<typeof layerOf> | undefined {
  const note = store.recall(key) as LayerNote | undefined;
  return note === undefined || store.find(note.hex) === undefined ? undefined : layerOf(note);
}

/** A layer that another machine packed. */
async function fetchLayer(
  { store, project }: ImageRequest,
  key: string,
): Promise<ReturnType<typeof layerOf> | undefined> {
  const here = store.places();
  if (!(await project.state.shared.fetch('layer', resultKey(key), here))) return undefined;
  try {
    const { layerNote } = await import('./layer-note');
    const note = layerNote.safeParse(JSON.parse(readFileSync(here.note, 'utf8')));
    if (!note.success || fileDigest(here.layer) !== note.data.hex) return undefined;
    store.takeIn(here.layer, note.data.hex);
    store.remember(key, note.data);
    return layerOf(note.data);
  } catch {
    // No note at all: the layer is packed here.
    return undefined;
  } finally {
    for (const path of Object.values(here)) rmSync(path, { force: true });
  }
}

/** The digest in the name of a note. */
function resultKey(name: string): string {
  return name.replace(/^layer-|\.json$/g, '');
}

function layerOf({ hex, size, diffId, unpacked }: LayerNote): StackedLayer & { readonly unpacked: number } {
  return {
    descriptor: { mediaType: OCI_LAYER_GZIP, digest: `sha256:${hex}`, size },
    diffId: `sha256:${diffId}`,
    unpacked,
  };
}

function layerEntry(entry: PackedEntry, { pieces, stretch }: ImageRequest): LayerEntry {
  const { path, mode } = entry;
  if (entry.kind === 'folder') return { path, mode, kind: 'folder' };
  if (entry.kind === 'link') return { path, mode, kind: 'link', target: entry.target };
  const { size, sha256, packed } = entry;
  const content = (): Iterable<Uint8Array> => {
    if (packed === undefined) return pieces(entry);
    const bytes = stretch(entry, packed);
    return [packed.method === METHOD_STORED ? bytes : inflateRawSync(bytes, { maxOutputLength: Math.max(1, size) })];
  };
  return { path, mode, kind: 'file', size, content, ...(sha256 !== undefined && { sha256 }) };
}

/** Every path once: folders stand in each layer that has something in them. */
function allEntries(layers: readonly MadeLayer[]): Iterable<PackedEntry> {
  return new Map(layers.flatMap(({ entries }) => entries.map((entry) => [entry.path, entry]))).values();
}

function layerNames(layers: readonly MadeLayer[]): (path: string) => string {
  const names = new Map(layers.flatMap(({ name, entries }) => entries.map(({ path }) => [path, name])));
  return (path) => names.get(path) ?? '';
}

function describeImage(
  { base, spec }: ImageRequest,
  layers: readonly MadeLayer[],
  manifest: Descriptor,
  start: readonly string[],
): NonNullable<Waybill['image']> {
  return {
    digest: manifest.digest,
    ...(base !== undefined && {
      base: {
        from: base.locked.from,
        ...(base.locked.digest !== undefined && { digest: base.locked.digest }),
        ...(base.locked.version !== undefined && { version: base.locked.version }),
        layers: base.locked.layers.map(({ digest, size }) => ({ digest, size })),
      },
    }),
    layers: layers.map(({ name, descriptor, diffId, unpacked, entries }) => ({
      name,
      digest: descriptor.digest,
      diffId,
      size: descriptor.size,
      unpacked,
      files: entries.length,
    })),
    start: [...start],
    user: spec.image?.user ?? '',
  };
}
