/** Reads tar archives that are in memory or in a file. */
import { linkStaysInside, unsafePathReason } from '../../base/paths';
import { printable } from '../../base/text';
import { sourceOfBytes, type ByteSource } from '../byte-source';
import { paddedSize, TarHeads, type TarHead } from './entries';
import { BLOCK_BYTES } from './header';

export interface TarEntry {
  readonly path: string;
  readonly kind: 'file' | 'folder' | 'link' | 'hard-link';
  /** Permission bits. */
  readonly mode: number;
  readonly bytes: Uint8Array;
  /** What a link points to. */
  readonly target?: string;
}

/** An entry, and where its content begins. */
export interface PlacedHead {
  readonly head: TarHead;
  readonly at: number;
}

/**
 * The entries of an archive, without reading their content.
 * @param name the archive's name, for messages
 * @throws EmballageError PACKAGE_INVALID where the archive is damaged or cut off
 */
export function* listTar(source: ByteSource, name: string): Generator<PlacedHead> {
  const heads = new TarHeads(name);
  for (let at = 0; at + BLOCK_BYTES <= source.size;) {
    const step = heads.next(source.read(at, BLOCK_BYTES), at);
    if (step.is === 'end') return;
    const start = at + BLOCK_BYTES;
    const size = step.is === 'entry' ? step.head.size : step.size;
    if (start + size > source.size)
      throw heads.bad('the whole archive', `an entry that runs past its end at byte ${String(at)}`);
    if (step.is === 'extended') heads.extend(source.read(start, size));
    else yield { head: step.head, at: start };
    at = start + paddedSize(size);
  }
}

/**
 * A package's archive: files, folders and links that stay inside; anything else is refused by name.
 * @param name the archive's name, for messages
 */
export function* readTar(bytes: Uint8Array, name: string): Generator<TarEntry> {
  const heads = new TarHeads(name);
  for (const { head, at } of listTar(sourceOfBytes(bytes), name)) {
    const { path, kind, target } = head;
    const mode = head.mode & 0o777;
    const unsafe = path === '' ? undefined : unsafePathReason(path);
    if (unsafe !== undefined) throw heads.bad('paths that stay inside', `\`${printable(path)}\`, ${unsafe}`);
    if (kind === 'file') yield { path, kind, mode, bytes: bytes.subarray(at, at + head.size) };
    else if (kind === 'folder') yield { path, kind, mode, bytes: new Uint8Array(0) };
    else if (kind === 'link' || kind === 'hard-link') {
      const to = target ?? '';
      const stays = kind === 'link' ? linkStaysInside(path, to) : unsafePathReason(to) === undefined;
      if (!stays)
        throw heads.bad('links that stay inside', `\`${printable(path)}\`, which points to \`${printable(to)}\``);
      yield { path, kind, mode, bytes: new Uint8Array(0), target: to };
    } else throw heads.bad('files, folders and links', `\`${printable(path)}\`, a ${kind}`);
  }
}
