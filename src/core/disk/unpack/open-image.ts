/**
 * Opens an image: its layers are unpacked into a folder as plain tar archives, each verified against its digests on the
 * way, and stacked into the tree that they make. Memory stays small whatever the layers' size.
 */
import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import {
  findBlob,
  hexOf,
  readableCompression,
  stackLayers,
  type BlobHolder,
  type Descriptor,
  type ImageDocuments,
  type ImageTree,
  type Stretch,
  type TreeNode,
} from '../../formats/oci';
import { OpenFiles } from '../file-source';
import { plainLayer, verifyBlob, type LayerListing, type PlainLayerRequest } from './plain-layer';
import { waitForThread } from '../threads/wait-for-thread';

export interface OpenLayer extends Pick<LayerListing, 'unpacked' | 'entries'> {
  readonly descriptor: Descriptor;
  readonly diffId: string;
}

export interface OpenImage extends ImageDocuments {
  readonly layers: readonly OpenLayer[];
  readonly tree: ImageTree;
  /** A stretch of a file's content. */
  read(node: TreeNode, at: number, length: number): Buffer;
  /** The first 20 bytes of an ELF file; undefined for other files. */
  elfStart(node: TreeNode): Buffer | undefined;
  close(): void;
}

/** What is known of layers that were opened before. */
export interface LayerMemory {
  /** Whether a file is known to hold what has that digest, by what it looks like. */
  isVerified(blob: Stretch, hex: string): boolean;
  recall(layer: Descriptor, diffId: string): LayerListing | undefined;
  remember(layer: Descriptor, diffId: string, listing: LayerListing): void;
}

/** What is unpacked faster than its listing is read. */
const REMEMBERED_FROM_BYTES = 1024 ** 2;

/**
 * @param folder absolute path of a folder for plain archives; the caller removes it
 * @param memory layers that are known are unpacked when something in them is read
 * @throws EmballageError IMAGE_INVALID
 */
export async function openImage(
  holder: BlobHolder,
  documents: ImageDocuments,
  folder: string,
  memory?: LayerMemory,
): Promise<OpenImage> {
  mkdirSync(folder, { recursive: true });
  const opened: OpenedLayer[] = [];
  for (const [i, descriptor] of documents.manifest.layers.entries()) {
    const request: PlainLayerRequest = {
      blob: findBlob(holder, descriptor),
      mediaType: descriptor.mediaType,
      digest: descriptor.digest,
      diffId: documents.config.diffIds[i] ?? '',
      path: join(folder, `${String(i)}.tar`),
      shown: `${holder.shown}, layer ${String(i + 1)}`,
    };
    opened.push(await openLayer(descriptor, request, memory));
  }
  const layers = opened.map(({ layer }) => layer);
  const entries = layers.map((layer) => layer.entries);
  const files = new OpenFiles();
  return {
    ...documents,
    layers,
    tree: stackLayers(entries, holder.shown),
    read(node, at, length) {
      const from = opened[node.layer];
      if (from === undefined || at + length > node.head.size) throw new RangeError('outside the file');
      const plain = from.plain();
      return files.read(plain.path, { at: plain.at + node.at + at, length });
    },
    elfStart(node) {
      const start = opened[node.layer]?.compiled.get(node.at);
      return start === undefined ? undefined : Buffer.from(start, 'base64');
    },
    close: () => files.close(),
  };
}

interface OpenedLayer {
  readonly layer: OpenLayer;
  readonly compiled: ReadonlyMap<number, string>;
  /** Where its plain archive lies. */
  plain(): Stretch;
}

async function openLayer(
  descriptor: Descriptor,
  request: PlainLayerRequest,
  memory: LayerMemory | undefined,
): Promise<OpenedLayer> {
  const { blob, mediaType, diffId, shown } = request;
  const isPlain = readableCompression(mediaType, shown) === 'none';
  const worth = isPlain || blob.size < REMEMBERED_FROM_BYTES ? undefined : memory;
  const known = worth?.recall(descriptor, diffId);
  if (known === undefined) {
    const { plain, listing } = await plainLayer(request);
    worth?.remember(descriptor, diffId, listing);
    return openedLayer(descriptor, diffId, listing, () => plain);
  }
  if (worth?.isVerified(blob, hexOf(descriptor.digest)) !== true) await verifyBlob(request);
  let unpacked: Stretch | undefined;
  return openedLayer(descriptor, diffId, known, () => (unpacked ??= waitForThread(UNPACKING, request) as Stretch));
}

function openedLayer(
  descriptor: Descriptor,
  diffId: string,
  { unpacked, entries, compiled }: LayerListing,
  plain: () => Stretch,
): OpenedLayer {
  return { layer: { descriptor, diffId, unpacked, entries }, compiled: new Map(compiled), plain };
}

const UNPACKING = join(__dirname, 'plain-layer-worker.js');
