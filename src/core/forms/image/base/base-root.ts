/**
 * A root file system as the one layer of a base, normalised: in order of path, owned by root where it is a folder, without
 * devices and sockets, which hosts bring themselves, and without extended attributes.
 */
import { createReadStream, lstatSync, mkdirSync, readdirSync, readlinkSync, type Stats } from 'node:fs';
import { open as openFile } from 'node:fs/promises';
import { join } from 'node:path';
import { createGunzip } from 'node:zlib';
import { EmballageError, messageOf } from '../../../base/errors';
import { comparePaths } from '../../../base/paths';
import { printable } from '../../../base/text';
import { formatSize } from '../../../base/units';
import { contentDigest } from '../../../disk/digest';
import { filePieces, stretchPieces, withFileSource } from '../../../disk/file-source';
import { stampOf } from '../../../disk/stamp';
import { SEGMENT_BYTES } from '../../../formats/deflate';
import { isGzip } from '../../../formats/gzip';
import { stackLayers } from '../../../formats/oci';
import { listTar } from '../../../formats/tar';
import type { LayerEntry } from '../layer';

const MAX_ROOT_BYTES = 32 * 1024 ** 3;
const MAX_ENTRIES = 2_000_000;

export interface RootRequest {
  /** Absolute path, and its name for messages. */
  readonly path: string;
  readonly shown: string;
  /** Absolute path of a folder for what has to be unpacked on the way; the caller removes it. */
  readonly scratch: string;
}

/** @throws EmballageError IMAGE_INVALID where a tar archive is damaged or leads out of its root */
export async function rootEntries(request: RootRequest): Promise<LayerEntry[]> {
  return lstatSync(request.path).isDirectory() ? folderEntries(request.path, request.shown) : tarEntries(request);
}

/** What a root file system looks like; when none of it has changed, neither has its content. */
export function rootSignature(path: string): string {
  const stat = lstatSync(path, { throwIfNoEntry: false });
  if (stat === undefined) return '';
  // Nothing in it stands for one that lies elsewhere.
  if (!stat.isDirectory()) return stat.size === 0 ? '' : signatureOf('', stat);
  const lines: string[] = [];
  for (const one of walk(path, '')) lines.push(signatureOf(one.path, one.stat));
  return lines.length === 0 ? '' : contentDigest(lines.join('\n'));
}

function signatureOf(path: string, { size, mtimeMs, ctimeMs, mode, ino }: Stats): string {
  return [path, size, mtimeMs, ctimeMs, mode, ino].join('\0');
}

interface Walked {
  readonly path: string;
  readonly source: string;
  readonly stat: Stats;
}

function* walk(folder: string, path: string): Generator<Walked> {
  for (const name of readdirSync(folder).sort(comparePaths)) {
    const source = join(folder, name);
    const at = path === '' ? name : `${path}/${name}`;
    const stat = lstatSync(source);
    yield { path: at, source, stat };
    if (stat.isDirectory()) yield* walk(source, at);
  }
}

/** An entry, and what tells its content from that of others, where it may have several names. */
interface Named {
  readonly entry: LayerEntry;
  readonly content?: string;
}

function folderEntries(root: string, shown: string): LayerEntry[] {
  const all: Named[] = [];
  try {
    for (const { path, source, stat } of walk(root, '')) {
      if (all.length >= MAX_ENTRIES) throw tooMuch(shown, `at most ${String(MAX_ENTRIES)} files`, 'more');
      all.push(...folderEntry(path, source, stat, shown));
    }
  } catch (error) {
    throw error instanceof EmballageError ? error : unreadable(shown, error);
  }
  return inOrder(all);
}

function folderEntry(path: string, source: string, stat: Stats, shown: string): Named[] {
  const mode = stat.mode & 0o7777;
  if (stat.isDirectory()) return [{ entry: { path, kind: 'folder', mode } }];
  if (stat.isSymbolicLink()) return [{ entry: { path, kind: 'link', mode: 0o777, target: readlinkSync(source) } }];
  if (!stat.isFile()) return [];
  const content = (): Iterable<Uint8Array> => filePieces(source, `${shown}/${path}`, stampOf(stat), SEGMENT_BYTES);
  const entry: LayerEntry = { path, kind: 'file', mode, size: stat.size, content };
  return [stat.nlink > 1 ? { entry, content: `${String(stat.dev)} ${String(stat.ino)}` } : { entry }];
}

async function tarEntries({ path, shown, scratch }: RootRequest): Promise<LayerEntry[]> {
  const plain = await plainTar(path, shown, scratch);
  const heads = await withFileSource(plain, shown, (source) => [...listTar(source, shown)]);
  const all: Named[] = [];
  for (const { path: at, node } of stackLayers([heads], shown).walk()) {
    const { mode, uid, gid, size, kind, target = '' } = node.head;
    const common = { path: at, mode, uid, gid };
    if (kind === 'folder') all.push({ entry: { ...common, kind } });
    else if (kind === 'link') all.push({ entry: { ...common, kind, target } });
    else if (kind === 'file') {
      const content = (): Iterable<Uint8Array> => stretchPieces({ path: plain, at: node.at, size });
      const entry: LayerEntry = { ...common, kind, size, content };
      all.push(size > 0 ? { entry, content: String(node.at) } : { entry });
    }
  }
  return inOrder(all);
}

/** Order by the bytes of the path; a folder comes before what is in it, and of several names the first has the content. */
function inOrder(all: Named[]): LayerEntry[] {
  const first = new Map<string, string>();
  return all
    .sort((a, b) => comparePaths(a.entry.path, b.entry.path))
    .map(({ entry, content }) => {
      const target = content === undefined ? undefined : first.get(content);
      if (content !== undefined && target === undefined) first.set(content, entry.path);
      if (target === undefined) return entry;
      const { path, mode, uid = 0, gid = 0 } = entry;
      return { path, mode, uid, gid, kind: 'hard-link', target };
    });
}

/** The archive as it is, or unpacked from gzip. */
async function plainTar(path: string, shown: string, scratch: string): Promise<string> {
  const isPacked = await withFileSource(path, shown, (source) => source.size > 2 && isGzip(source.read(0, 2)));
  if (!isPacked) return path;
  mkdirSync(scratch, { recursive: true });
  const plain = join(scratch, 'root.tar');
  const output = await openFile(plain, 'w', 0o600);
  let size = 0;
  try {
    for await (const piece of createReadStream(path).pipe(createGunzip())) {
      size += (piece as Uint8Array).length;
      if (size > MAX_ROOT_BYTES) throw tooMuch(shown, `at most ${formatSize(MAX_ROOT_BYTES)} unpacked`, 'more');
      await output.writeFile(piece as Uint8Array);
    }
  } catch (error) {
    throw error instanceof EmballageError ? error : unreadable(shown, error);
  } finally {
    await output.close();
  }
  return plain;
}

function tooMuch(shown: string, expected: string, found: string): EmballageError {
  return new EmballageError('IMAGE_INVALID', {
    doing: 'reading the root file system',
    where: printable(shown),
    expected,
    found,
    mend: 'name the right folder or archive under `base`',
  });
}

function unreadable(shown: string, error: unknown): EmballageError {
  return new EmballageError(
    'IMAGE_INVALID',
    {
      doing: 'reading the root file system',
      where: printable(shown),
      expected: 'a folder or a tar archive whose every file can be read',
      found: messageOf(error),
      mend: 'pack it as root into a tar archive and name that under `base`',
    },
    error,
  );
}
