/**
 * Writes tar archives (POSIX.1-1988 ustar). What could vary is fixed: owner 0, no names of users, the time that is given;
 * entries come in the order in which they are handed over.
 */
const BLOCK = 512;
const END_BLOCKS = 2;
const MAX_NAME_BYTES = 100;
const MAX_PREFIX_BYTES = 155;

export interface TarMember {
  /** Path in the archive, of at most 256 bytes that a `/` can split into 155 and 100. */
  readonly path: string;
  readonly content: Uint8Array;
  /** Permission bits. */
  readonly mode: number;
}

/** @param mtimeSeconds seconds since 1970 that all entries carry */
export function writeTar(members: readonly TarMember[], mtimeSeconds: number): Buffer {
  const blocks: Uint8Array[] = [];
  for (const { path, content, mode } of members) {
    blocks.push(header(path, content.length, mode, mtimeSeconds), content);
    const rest = content.length % BLOCK;
    if (rest > 0) blocks.push(Buffer.alloc(BLOCK - rest));
  }
  blocks.push(Buffer.alloc(END_BLOCKS * BLOCK));
  return Buffer.concat(blocks);
}

/** Fields in the order of the standard: offset and width of each in bytes. */
function header(path: string, size: number, mode: number, mtimeSeconds: number): Buffer {
  const block = Buffer.alloc(BLOCK);
  const { name, prefix } = splitName(path);
  const octal = (value: number, at: number, width: number): void => {
    block.write(value.toString(8).padStart(width - 1, '0'), at, 'ascii');
  };
  block.write(name, 0, 'utf8');
  octal(mode, 100, 8);
  octal(0, 108, 8); // uid
  octal(0, 116, 8); // gid
  octal(size, 124, 12);
  octal(mtimeSeconds, 136, 12);
  block.write('        ', 148, 'ascii'); // the checksum counts as spaces
  block.write('0', 156, 'ascii'); // typeflag: a file
  block.write('ustar\u000000', 257, 'latin1'); // magic and version
  octal(0, 329, 8); // devmajor
  octal(0, 337, 8); // devminor
  block.write(prefix, 345, 'utf8');
  const sum = block.reduce((total, byte) => total + byte, 0);
  block.write(`${sum.toString(8).padStart(6, '0')}\0 `, 148, 'latin1');
  return block;
}

function splitName(path: string): { name: string; prefix: string } {
  if (Buffer.byteLength(path) <= MAX_NAME_BYTES) return { name: path, prefix: '' };
  for (let slash = path.indexOf('/'); slash >= 0; slash = path.indexOf('/', slash + 1)) {
    const [prefix, name] = [path.slice(0, slash), path.slice(slash + 1)];
    if (Buffer.byteLength(prefix) <= MAX_PREFIX_BYTES && Buffer.byteLength(name) <= MAX_NAME_BYTES)
      return { name, prefix };
  }
  throw new RangeError(`a name too long for a tar archive: ${path}`);
}
