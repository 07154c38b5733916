/** Writes the file system of an image into a folder. */
import { chmodSync, chownSync, lchownSync, linkSync, mkdirSync, openSync, closeSync, symlinkSync } from 'node:fs';
import { join } from 'node:path';
import type { TreeNode } from '../../formats/oci';
import type { OpenImage } from './open-image';
import { guarded, writeAll } from '../write';

const STEP = 4 * 1024 * 1024;
const UNPACKED: ReadonlySet<string> = new Set(['file', 'folder', 'link']);

export interface UnpackImageOptions {
  /** Absolute path of a folder that is there and empty. */
  readonly folder: string;
  /** Give files the owners that the image says; only root can. */
  readonly owners: boolean;
}

/**
 * What is written is the tree that the layers make, name by name below folders that were made here, so that no link leads
 * anywhere else. Bits that give the rights of an owner are left out, and so are devices, pipes and sockets, which hosts
 * bring themselves.
 */
export function unpackImage(image: OpenImage, { folder, owners }: UnpackImageOptions): void {
  const first = new Map<string, string>();
  const folders: { readonly path: string; readonly mode: number }[] = [];
  for (const { path, node } of image.tree.walk()) {
    if (!UNPACKED.has(node.head.kind)) continue;
    const target = join(folder, path);
    guarded(target, () => {
      unpackNode(image, node, target, first);
      if (owners && node.head.kind !== 'link') chownSync(target, node.head.uid, node.head.gid);
      if (owners && node.head.kind === 'link') lchownSync(target, node.head.uid, node.head.gid);
      // After the owner, whose change takes bits away.
      if (node.head.kind === 'file') chmodSync(target, node.head.mode & 0o1777);
      if (node.head.kind === 'folder') folders.push({ path: target, mode: node.head.mode & 0o1777 });
    });
  }
  // Last, so that folders that may not be written to could be filled.
  for (const { path, mode } of folders) chmodSync(path, mode);
}

function unpackNode(image: OpenImage, node: TreeNode, target: string, first: Map<string, string>): void {
  const { kind, size, target: to = '' } = node.head;
  if (kind === 'folder') mkdirSync(target, { mode: 0o700 });
  else if (kind === 'link') symlinkSync(to, target);
  else {
    // Several names of one content, which hard links are.
    const content = `${String(node.layer)} ${String(node.at)}`;
    const before = size > 0 ? first.get(content) : undefined;
    if (before !== undefined) linkSync(before, target);
    else writeFile(image, node, target);
    first.set(content, before ?? target);
  }
}

function writeFile(image: OpenImage, node: TreeNode, target: string): void {
  const fd = openSync(target, 'wx', 0o600);
  try {
    for (let at = 0; at < node.head.size; at += STEP)
      writeAll(fd, image.read(node, at, Math.min(STEP, node.head.size - at)), null);
  } finally {
    closeSync(fd);
  }
}
