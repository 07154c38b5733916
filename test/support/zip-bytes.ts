/** Makes zip archives by hand, also wrong ones, independently of our own writer. */
import { crc32, deflateRawSync } from 'node:zlib';

export interface RawEntry {
  readonly name: string | Buffer;
  readonly data?: string | Buffer;
  readonly method?: number;
  /** Unix st_mode; 0o100644 otherwise. */
  readonly mode?: number;
  readonly flags?: number;
  /** Said instead of the truth. */
  readonly size?: number;
  readonly crc?: number;
  readonly localName?: string;
  readonly localMethod?: number;
  /** Offset said in the directory, relative to the true one. */
  readonly shift?: number;
  /** Version made by: host in the high byte. */
  readonly host?: number;
}

export interface ArchiveOptions {
  readonly before?: Buffer;
  readonly after?: Buffer;
  readonly comment?: string;
}

export function makeZip(entries: readonly RawEntry[], options: ArchiveOptions = {}): Buffer {
  const parts: Buffer[] = [options.before ?? Buffer.alloc(0)];
  const directory: Buffer[] = [];
  for (const entry of entries) {
    const offset = parts.reduce((sum, part) => sum + part.length, 0);
    const { local, central } = makeEntry(entry, offset + (entry.shift ?? 0));
    parts.push(local);
    directory.push(central);
  }
  const offset = parts.reduce((sum, part) => sum + part.length, 0);
  const central = Buffer.concat(directory);
  const comment = Buffer.from(options.comment ?? '');
  const end = Buffer.alloc(22);
  end.writeUInt32LE(0x06054b50, 0);
  end.writeUInt16LE(entries.length, 8);
  end.writeUInt16LE(entries.length, 10);
  end.writeUInt32LE(central.length, 12);
  end.writeUInt32LE(offset, 16);
  end.writeUInt16LE(comment.length, 20);
  return Buffer.concat([...parts, central, end, comment, options.after ?? Buffer.alloc(0)]);
}

function makeEntry(entry: RawEntry, offset: number): { local: Buffer; central: Buffer } {
  const { method = 0, flags = 0x800, host = 3, mode = 0o100644 } = entry;
  const content = Buffer.from(entry.data ?? '');
  const data = method === 8 ? deflateRawSync(content) : content;
  const name = Buffer.from(entry.name as string);
  const localName = Buffer.from(entry.localName ?? name);
  const local = Buffer.alloc(30);
  local.writeUInt32LE(0x04034b50, 0);
  local.writeUInt16LE(20, 4);
  local.writeUInt16LE(flags, 6);
  local.writeUInt16LE(entry.localMethod ?? method, 8);
  local.writeUInt16LE(0x21, 12);
  local.writeUInt32LE(entry.crc ?? crc32(content), 14);
  local.writeUInt32LE(data.length, 18);
  local.writeUInt32LE(entry.size ?? content.length, 22);
  local.writeUInt16LE(localName.length, 26);
  const central = Buffer.alloc(46);
  central.writeUInt32LE(0x02014b50, 0);
  central.writeUInt16LE((host << 8) | 20, 4);
  local.copy(central, 6, 4, 30);
  central.writeUInt16LE(method, 10);
  central.writeUInt16LE(name.length, 28);
  central.writeUInt32LE(mode * 0x10000, 38);
  central.writeUInt32LE(offset, 42);
  return { local: Buffer.concat([local, localName, data]), central: Buffer.concat([central, name]) };
}

export function memorySource(bytes: Buffer): { size: number; read: (offset: number, length: number) => Buffer } {
  return { size: bytes.length, read: (offset, length) => bytes.subarray(offset, offset + length) };
}
