/**
 * Headers in the order in which they come: extended ones (pax; the long names of GNU tar) belong to the entry that
 * follows. The same reading serves archives in memory, in a file and in a stream.
 */
import { EmballageError } from '../../base/errors';
import { printable } from '../../base/text';
import { BLOCK_BYTES, decodeHeader, kindOf, type RawHeader, type TarAttributes, type TarKind } from './header';

export interface TarHead extends TarAttributes {
  /** As it stands, without `./` at the beginning and `/` at a folder's end; '' for the root itself. */
  readonly path: string;
  readonly kind: TarKind;
  /** Bytes of content that follow. */
  readonly size: number;
  /** What a link points to. */
  readonly target?: string;
  /** It has capabilities of its own (capabilities(7), "File capabilities"). */
  readonly hasCapabilities?: true;
}

/** What a header block turned out to be. */
export type Step =
  | { readonly is: 'end' }
  /** `size` bytes of content follow, which belong to `extend`. */
  | { readonly is: 'extended'; readonly size: number }
  | { readonly is: 'entry'; readonly head: TarHead };

/** Names and sizes in extended headers; more is no archive that anybody made in earnest. */
const MAX_EXTENDED_BYTES = 1024 * 1024;
const MAX_ENTRIES = 1_000_000;

interface Extended {
  path?: string;
  linkpath?: string;
  size?: number;
  mtime?: number;
  uid?: number;
  gid?: number;
  hasCapabilities?: true;
}

/** One archive's headers. */
export class TarHeads {
  readonly #name: string;
  #extended: Extended = {};
  #type = '';
  #entries = 0;

  /** @param name the archive's name, for messages */
  constructor(name: string) {
    this.#name = name;
  }

  /**
   * @param at where the block stands, for messages
   * @throws EmballageError PACKAGE_INVALID
   */
  next(block: Uint8Array, at: number): Step {
    // Two blocks of zeros end the archive; one is enough for us.
    if (block.every((byte) => byte === 0)) return { is: 'end' };
    const raw = decodeHeader(block);
    if (raw === undefined) throw this.bad('a header block', `none at byte ${String(at)}`);
    const size = this.#extended.size ?? raw.size;
    if (!Number.isSafeInteger(size) || size < 0)
      throw this.bad('a size', `one that is none, in the header at byte ${String(at)}`);
    if ('xLKg'.includes(raw.type)) {
      if (size > MAX_EXTENDED_BYTES) throw this.bad('short extended headers', `one of ${String(size)} bytes`);
      this.#type = raw.type;
      return { is: 'extended', size };
    }
    if (++this.#entries > MAX_ENTRIES) throw this.bad(`at most ${String(MAX_ENTRIES)} entries`, 'more');
    const head = this.#head(raw);
    this.#extended = {};
    return { is: 'entry', head };
  }

  /** Takes the content of an extended header. */
  extend(content: Uint8Array): void {
    // A global header ('g') says nothing that matters here.
    if (this.#type === 'g') return;
    const whole = Buffer.from(content).toString('utf8');
    if (this.#type === 'L') this.#extended.path = whole.replace(/\0.*$/s, '');
    else if (this.#type === 'K') this.#extended.linkpath = whole.replace(/\0.*$/s, '');
    else this.#readPax(Buffer.from(content));
  }

  bad(expected: string, found: string): EmballageError {
    return new EmballageError('PACKAGE_INVALID', {
      doing: 'reading the tar archive',
      where: printable(this.#name),
      expected,
      found,
      mend: 'fetch or make the archive again',
    });
  }

  #head(raw: RawHeader): TarHead {
    const extended = this.#extended;
    const path = plain(extended.path ?? raw.path);
    const kind = kindOf(raw.type);
    if (kind === undefined)
      throw this.bad(
        raw.type === 'S' ? 'no sparse files' : 'files, folders, links and devices',
        `\`${printable(path)}\`, of type \`${printable(raw.type)}\``,
      );
    const { mode, uid, gid, mtimeSeconds } = raw;
    const head = {
      path,
      kind,
      mode,
      uid: extended.uid ?? uid,
      gid: extended.gid ?? gid,
      mtimeSeconds: extended.mtime ?? mtimeSeconds,
      // Links and folders have no content, whatever their size field says (pax, "ustar Interchange Format").
      size: kind === 'file' ? (extended.size ?? raw.size) : 0,
      ...(extended.hasCapabilities && { hasCapabilities: true as const }),
    };
    return kind === 'link' || kind === 'hard-link' ? { ...head, target: extended.linkpath ?? raw.target } : head;
  }

  /** Records `LENGTH KEY=VALUE\n`. */
  #readPax(bytes: Buffer): void {
    for (let at = 0; at < bytes.length;) {
      const space = bytes.indexOf(0x20, at);
      const length = Number(bytes.toString('latin1', at, Math.max(at, space)));
      if (space < 0 || !Number.isInteger(length) || length <= 0 || at + length > bytes.length)
        throw this.bad('records of a pax header', `none at its byte ${String(at)}`);
      const record = bytes.toString('utf8', space + 1, at + length - 1);
      const [, key = '', value = ''] = /^([^=]+)=(.*)$/s.exec(record) ?? [];
      this.#takePax(key, value);
      at += length;
    }
  }

  #takePax(key: string, value: string): void {
    if (key === 'path') this.#extended.path = value;
    else if (key === 'linkpath') this.#extended.linkpath = value;
    else if (key === 'size' || key === 'mtime' || key === 'uid' || key === 'gid') this.#extended[key] = Number(value);
    else if (/(?:^|\.)security\.capability$/.test(key)) this.#extended.hasCapabilities = true;
    else if (key.startsWith('GNU.sparse.')) throw this.bad('no sparse files', `the record \`${printable(key)}\``);
  }
}

/** Without parts that say nothing, which some packers leave in. */
function plain(path: string): string {
  const short = path
    .replace(/^(?:\.\/+)+/, '')
    .replace(/(?<=.)\/(?:\.?\/)+/g, '/')
    .replace(/(?<=.)\/+$/, '');
  return short === '.' || short === './' ? '' : short;
}

/** Bytes of content with what fills up its last block. */
export function paddedSize(size: number): number {
  return Math.ceil(size / BLOCK_BYTES) * BLOCK_BYTES;
}
