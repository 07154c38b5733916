/**
 * The file system that stacked layers make (image-spec, "Image Layer Filesystem Changeset"): upper layers replace what
 * lower ones hold, and whiteouts take it away.
 */
import { posix } from 'node:path';
import { printable } from '../../base/text';
import type { PlacedHead, TarHead } from '../tar';
import { badImage } from './documents';

const WHITEOUT = '.wh.';
const OPAQUE = '.wh..wh..opq';
/** Links may lead through each other, but not for ever (POSIX wants at least 8 to be followed; Linux follows 40). */
const MAX_LINKS = 40;

export interface TreeNode {
  readonly head: TarHead;
  /** Which layer it comes from, the lowest being 0. */
  readonly layer: number;
  /** Where its content begins in that layer, unpacked. For a hard link those of what it points to. */
  readonly at: number;
  readonly children: Map<string, TreeNode> | undefined;
}

/** Content in a layer that an upper one hides. */
export interface Shadowed {
  readonly path: string;
  readonly layer: number;
  readonly by: number;
  readonly size: number;
}

export interface ImageTree {
  readonly root: TreeNode;
  readonly shadowed: readonly Shadowed[];
  /** The node at a path, without following links. */
  node(path: string): TreeNode | undefined;
  /** What a path means inside: links are followed, and never lead out. Its path with it. */
  resolve(path: string): { readonly path: string; readonly node: TreeNode } | undefined;
  /** Every node below the root, in order of path. */
  walk(): Generator<{ readonly path: string; readonly node: TreeNode }>;
}

/** PATH_MAX of Linux, path_resolution(7): what is longer cannot be unpacked by those who start images. */
const MOST_PATH_BYTES = 4096;

/**
 * Why an entry's path must not be unpacked; undefined where it may. Names in images may hold what Linux allows.
 */
export function layerPathFault(path: string): string | undefined {
  if (path.includes('\0')) return 'a NUL character';
  if (path.startsWith('/')) return 'an absolute path';
  if (Buffer.byteLength(path) > MOST_PATH_BYTES) return 'a path that is longer than Linux has them';
  return path.split('/').includes('..') ? 'a path that leaves the root (`..`)' : undefined;
}

/** What a whiteout takes away: a name, or with `''` all that lower layers have in its folder; undefined for other names. */
export function whiteoutOf(path: string): { readonly folder: string; readonly name: string } | undefined {
  const name = posix.basename(path);
  if (!name.startsWith(WHITEOUT)) return undefined;
  const folder = posix.dirname(path);
  return { folder: folder === '.' ? '' : folder, name: name === OPAQUE ? '' : name.slice(WHITEOUT.length) };
}

/**
 * @param layers the entries of each layer, the lowest first
 * @param name of the image, for messages
 * @throws EmballageError IMAGE_INVALID for paths that leave the root and hard links to what is not there
 */
export function stackLayers(layers: readonly Iterable<PlacedHead>[], name: string): ImageTree {
  const tree = new Tree(name);
  layers.forEach((layer, i) => tree.add(layer, i));
  return tree;
}

function folderHead(path: string): TarHead {
  return { path, kind: 'folder', mode: 0o755, uid: 0, gid: 0, mtimeSeconds: 0, size: 0 };
}

class Tree implements ImageTree {
  readonly root: TreeNode = { head: folderHead(''), layer: -1, at: 0, children: new Map() };
  readonly shadowed: Shadowed[] = [];
  readonly #name: string;

  constructor(name: string) {
    this.#name = name;
  }

  add(entries: Iterable<PlacedHead>, layer: number): void {
    for (const { head, at } of entries) {
      const fault = layerPathFault(head.path);
      if (fault !== undefined)
        throw badImage(this.#name, 'paths that can be unpacked inside it', `${fault}: \`${printable(head.path)}\``);
      if (head.path === '') continue;
      const whiteout = whiteoutOf(head.path);
      if (whiteout === undefined) this.#put(head, at, layer);
      else this.#takeAway(whiteout, layer);
    }
  }

  node(path: string): TreeNode | undefined {
    let node: TreeNode | undefined = this.root;
    for (const part of path.split('/')) if (part !== '') node = node?.children?.get(part);
    return node;
  }

  resolve(path: string): { path: string; node: TreeNode } | undefined {
    let open = path.split('/').filter((part) => part !== '' && part !== '.');
    const above: { name: string; node: TreeNode }[] = [];
    for (let links = 0; open.length > 0;) {
      const [part = '', ...rest] = open;
      open = rest;
      if (part === '..') {
        above.pop();
        continue;
      }
      const node = (above.at(-1)?.node ?? this.root).children?.get(part);
      if (node === undefined) return undefined;
      if (node.head.kind !== 'link') above.push({ name: part, node });
      else {
        if (++links > MAX_LINKS) return undefined;
        const target = node.head.target ?? '';
        // An absolute target begins at the root of the image.
        if (target.startsWith('/')) above.length = 0;
        open = [...target.split('/').filter((one) => one !== '' && one !== '.'), ...open];
      }
    }
    return { path: above.map(({ name }) => name).join('/'), node: above.at(-1)?.node ?? this.root };
  }

  *walk(): Generator<{ path: string; node: TreeNode }> {
    yield* below(this.root);
  }

  #put(head: TarHead, at: number, layer: number): void {
    const folder = this.#folder(posix.dirname(head.path), layer);
    const name = posix.basename(head.path);
    const before = folder.get(name);
    const content = head.kind === 'hard-link' ? this.#linked(head) : { head, at, layer };
    const isFolder = head.kind === 'folder';
    const keeps = isFolder && before?.children !== undefined;
    if (before !== undefined && !keeps) this.#shadow(before, head.path, layer);
    folder.set(name, { ...content, children: isFolder ? (keeps ? before.children : new Map()) : undefined });
  }

  /** A hard link is the file that it names, under another name. */
  #linked(head: TarHead): { head: TarHead; at: number; layer: number } {
    const target = (head.target ?? '').replace(/^(?:\.?\/)+/, '');
    const found = layerPathFault(target) === undefined ? this.node(target) : undefined;
    if (found === undefined || found.children !== undefined)
      throw badImage(
        this.#name,
        'hard links to files of the image',
        `\`${printable(head.path)}\`, which points to \`${printable(head.target ?? '')}\``,
      );
    // What is shared is not counted twice.
    return { head: { ...found.head, path: head.path, size: found.head.size }, at: found.at, layer: found.layer };
  }

  /** The children of a folder; what is not said is made, and a link to a folder is followed. */
  #folder(path: string, layer: number): Map<string, TreeNode> {
    let node = this.root;
    let at = '';
    for (const part of path.split('/')) {
      if (part === '' || part === '.') continue;
      at = at === '' ? part : `${at}/${part}`;
      const before = node.children?.get(part);
      const led = before?.head.kind === 'link' ? this.resolve(at)?.node : before;
      if (led?.children !== undefined) node = led;
      else {
        if (before !== undefined) this.#shadow(before, at, layer);
        const made: TreeNode = { head: folderHead(at), layer, at: 0, children: new Map() };
        node.children?.set(part, made);
        node = made;
      }
    }
    return node.children ?? new Map<string, TreeNode>();
  }

  /** Whiteouts are about lower layers only, whatever order a layer has (image-spec, "Whiteouts"). */
  #takeAway({ folder, name }: { readonly folder: string; readonly name: string }, layer: number): void {
    const parent = this.resolve(folder)?.node.children;
    if (parent === undefined) return;
    for (const child of [...parent.keys()])
      if (name === '' || child === name)
        this.#prune(parent, child, folder === '' ? child : `${folder}/${child}`, layer);
  }

  /** Takes away what lower layers have at a name; what its own layer has there stays. */
  #prune(parent: Map<string, TreeNode>, name: string, path: string, layer: number): void {
    const node = parent.get(name);
    if (node === undefined) return;
    if (node.layer < layer && !hasFrom(node, layer)) {
      this.#shadow(node, path, layer);
      parent.delete(name);
    } else
      for (const child of [...(node.children?.keys() ?? [])])
        this.#prune(node.children ?? parent, child, `${path}/${child}`, layer);
  }

  #shadow(node: TreeNode, path: string, by: number): void {
    if (node.head.kind === 'file' && node.layer < by && node.head.size > 0)
      this.shadowed.push({ path, layer: node.layer, by, size: node.head.size });
    for (const [name, child] of node.children ?? []) this.#shadow(child, `${path}/${name}`, by);
  }
}

function hasFrom(node: TreeNode, layer: number): boolean {
  return node.layer === layer || [...(node.children?.values() ?? [])].some((child) => hasFrom(child, layer));
}

/** In the order of paths, each folder before what is in it. Each costs the same, however deep it lies. */
function* below(root: TreeNode): Generator<{ path: string; node: TreeNode }> {
  const open = [...sortedChildren(root, '')];
  for (let one = open.pop(); one !== undefined; one = open.pop()) {
    yield one;
    for (const child of sortedChildren(one.node, `${one.path}/`)) open.push(child);
  }
}

/** The last first, as they are put on a stack. */
function sortedChildren({ children }: TreeNode, prefix: string): { path: string; node: TreeNode }[] {
  const sorted = [...(children ?? [])].sort(([a], [b]) => (a < b ? 1 : -1));
  return sorted.map(([name, node]) => ({ path: `${prefix}${name}`, node }));
}
