/**
 * Opens an image: its layers are unpacked into a folder as plain tar archives, each verified against its digests on the
 * way, and stacked into the tree that they make. Memory stays small whatever the layers' size.
 */
import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import {
  findBlob,
  stackLayers,
  type BlobHolder,
  type Descriptor,
  type ImageDocuments,
  type ImageTree,
  type Stretch,
  type TreeNode,
} from '../formats/oci';
import type { PlacedHead } from '../formats/tar';
import { OpenFiles } from './file-source';
import { plainLayer } from './plain-layer';

export interface OpenLayer {
  readonly descriptor: Descriptor;
  readonly diffId: string;
  /** Bytes of the plain tar archive. */
  readonly unpacked: number;
  readonly entries: readonly PlacedHead[];
}

export interface OpenImage extends ImageDocuments {
  readonly layers: readonly OpenLayer[];
  readonly tree: ImageTree;
  /** A stretch of a file's content. */
  read(node: TreeNode, at: number, length: number): Buffer;
  close(): void;
}

/**
 * @param folder absolute path of a folder for plain archives; the caller removes it
 * @throws EmballageError IMAGE_INVALID
 */
export async function openImage(holder: BlobHolder, documents: ImageDocuments, folder: string): Promise<OpenImage> {
  mkdirSync(folder, { recursive: true });
  const plain: Stretch[] = [];
  const layers: OpenLayer[] = [];
  for (const [i, descriptor] of documents.manifest.layers.entries()) {
    const diffId = documents.config.diffIds[i] ?? '';
    const shown = `${holder.shown}, layer ${String(i + 1)}`;
    const { stretch, entries } = await plainLayer(findBlob(holder, descriptor), descriptor, diffId, {
      path: join(folder, `${String(i)}.tar`),
      shown,
    });
    plain.push(stretch);
    layers.push({ descriptor, diffId, unpacked: stretch.size, entries });
  }
  const files = new OpenFiles();
  return {
    ...documents,
    layers,
    tree: stackLayers(
      layers.map(({ entries }) => entries),
      holder.shown,
    ),
    read(node, at, length) {
      const from = plain[node.layer];
      if (from === undefined || at + length > node.head.size) throw new RangeError('outside the file');
      return files.read(from.path, { at: from.at + node.at + at, length });
    },
    close: () => files.close(),
  };
}
