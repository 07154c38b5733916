import { withFields } from '../../../../test/support/errors';
import { crc32 } from 'node:zlib';
import { execFileSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { memorySource } from '../../../../test/support/zip-bytes';
import { folderWith } from '../../../../test/support/program';
import { requireTool } from '../../../../test/support/tools';
import { DOS_FLOOR, METHOD_STORED, openZip, toDosTime, ZipWriter, type ZipMember, type ZipSink } from './';

class MemorySink implements ZipSink {
  bytes = Buffer.alloc(0);
  append(bytes: Uint8Array): void {
    this.bytes = Buffer.concat([this.bytes, bytes]);
  }
  hold(): void {
    // Everything stays patchable.
  }
  release(): void {
    // As above.
  }
  patch(offset: number, bytes: Uint8Array): void {
    Buffer.from(bytes).copy(this.bytes, offset);
  }
}

const file = (path: string): ZipMember => ({ path, kind: 'file', mode: 0o644 });
const stored = (text: string) => {
  const data = Buffer.from(text);
  return { method: METHOD_STORED, crc32: crc32(data), uncompressedSize: data.length, data } as const;
};

describe('the zip writer', () => {
  it('writes exactly these bytes', () => {
    const sink = new MemorySink();
    const writer = new ZipWriter(sink, DOS_FLOOR);
    writer.add(file('a'), stored('hi'));
    const size = writer.finish();
    const common = '1400 0008 0000 0000 2100 ac2a93d8 02000000 02000000 0100 0000'; // version, flags, method, time, date, crc, sizes, name, extra
    const local = `504b0304 ${common} 61 6869`;
    const central = `504b0102 2d03 ${common} 0000 0000 0000 0000a481 00000000 61`; // comment, disk, internal, 0100644, offset
    const end = '504b0506 0000 0000 0100 0100 2f000000 21000000 1300'; // disks, entries, size, offset, comment
    const expected = Buffer.concat([
      Buffer.from([local, central, end].join('').replaceAll(' ', ''), 'hex'),
      Buffer.from('packed by Emballage'),
    ]);
    expect(sink.bytes.toString('hex')).toBe(expected.toString('hex'));
    expect(size).toBe(expected.length);
  });

  it('refuses members that are out of order, or there twice', () => {
    const writer = new ZipWriter(new MemorySink(), DOS_FLOOR);
    writer.add(file('b'), stored(''));
    expect(() => writer.add(file('a'), stored(''))).toThrow('out of order');
    expect(() => writer.add(file('b'), stored(''))).toThrow('out of order');
  });

  it('orders by UTF-8 bytes where UTF-16 would not', () => {
    const writer = new ZipWriter(new MemorySink(), DOS_FLOOR);
    writer.add(file('\uff5e'), stored(''));
    expect(() => writer.add(file('\u{1f30a}'), stored(''))).not.toThrow();
  });

  it('refuses a name longer than the format can hold', () => {
    const writer = new ZipWriter(new MemorySink(), DOS_FLOOR);
    expect(() => writer.add(file('x'.repeat(65_536)), stored(''))).toThrow(withFields({ code: 'ZIP_NAME_TOO_LONG' }));
  });

  it('keeps times within what the format can say', () => {
    expect([0, 315_532_800, 1_000_000_001, 9e9].map(toDosTime)).toEqual([
      DOS_FLOOR,
      DOS_FLOOR,
      { date: (21 << 9) | (9 << 5) | 9, time: (1 << 11) | (46 << 5) | 20 },
      { date: (127 << 9) | (12 << 5) | 31, time: (23 << 11) | (59 << 5) | 29 },
    ]);
  });

  it('writes Zip64 where 16 bits do not count the entries, and others read it', () => {
    const chunks: Buffer[] = [];
    const sink: ZipSink = {
      append: (bytes) => void chunks.push(Buffer.from(bytes)),
      hold: jest.fn(),
      patch: jest.fn(),
      release: jest.fn(),
    };
    const writer = new ZipWriter(sink, DOS_FLOOR);
    const count = 65_600;
    for (let i = 0; i < count; i++) writer.add(file(String(i).padStart(6, '0')), stored(''));
    writer.finish();
    const bytes = Buffer.concat(chunks);
    const archive = openZip(memorySource(bytes), 'many.zip');
    expect([archive.entries.length, archive.faults, archive.ours]).toEqual([count, [], true]);
    const path = join(folderWith({}), 'many.zip');
    writeFileSync(path, bytes);
    const program = 'import sys,zipfile; print(len(zipfile.ZipFile(sys.argv[1]).namelist()))';
    expect(execFileSync(requireTool('python3'), ['-c', program, path], { encoding: 'utf8' }).trim()).toBe(
      String(count),
    );
  });
});
