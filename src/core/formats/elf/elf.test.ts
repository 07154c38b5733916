import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import {
  debugBytes,
  glibcNeeded,
  MACHINES,
  planStrip,
  readElf,
  readElfOrFault,
  readHeader,
  readProperties,
  readSections,
  sectionAt,
  stripElf,
  symbolsNeeding,
} from './';
import { makeElf, type ElfParts } from '../../../../test/support/elf-bytes';
import { sourceOfBytes } from '../byte-source';

const fixture = (name: string): Buffer => readFileSync(join(__dirname, '../../../../test/fixtures/elf', name));
const nodeItself = readFileSync(process.execPath);
const sectionsOf = (bytes: Uint8Array): string[] =>
  readSections(sourceOfBytes(bytes), readHeader(sourceOfBytes(bytes))).map(({ name }) => name);

const SHAPES: readonly ElfParts[] = [
  { bits: 64, littleEndian: true },
  { bits: 64, littleEndian: false },
  { bits: 32, littleEndian: true },
  { bits: 32, littleEndian: false },
];
const WHOLE: ElfParts = {
  interpreter: '/lib64/ld-linux-x86-64.so.2',
  soname: 'libtide.so.1',
  needed: ['libc.so.6', 'libm.so.6'],
  runpath: '$ORIGIN/lib:/opt/tide',
  versions: { 'libc.so.6': ['GLIBC_2.17', 'GLIBC_2.34'], 'libm.so.6': ['GLIBC_2.29'] },
  sections: { '.debug_info': 'DW_AT_name', '.comment': 'a compiler', '.rest': 'stays' },
};

describe('ELF files', () => {
  it('say which processor they are for', () => {
    const machines = ['debug-x86_64.so', 'debug-arm64.so'].map(
      (name) => MACHINES[readElf(fixture(name))?.machine ?? 0],
    );
    expect(machines).toEqual(['x86_64', 'arm64']);
  });

  it('say what they need, such as the program that runs this test', () => {
    const elf = readElf(nodeItself);
    expect(elf?.needed).toContain('libc.so.6');
    expect(elf?.interpreter).toMatch(/ld-linux/);
    const needed = elf === undefined ? undefined : glibcNeeded(elf);
    expect(needed?.[0]).toBe(2);
    expect(symbolsNeeding(nodeItself, `GLIBC_${needed?.join('.') ?? ''}`).length).toBeGreaterThan(0);
    expect(symbolsNeeding(nodeItself, 'GLIBC_9.9')).toEqual([]);
  });

  it('are read in both word sizes and byte orders', () => {
    for (const shape of SHAPES) {
      const elf = readElf(makeElf({ ...WHOLE, ...shape }));
      expect(elf).toMatchObject({
        ...shape,
        interpreter: WHOLE.interpreter,
        soname: WHOLE.soname,
        needed: WHOLE.needed,
        runpath: ['$ORIGIN/lib', '/opt/tide'],
        rpath: [],
      });
      expect([...(elf?.versions ?? [])]).toEqual(Object.entries(WHOLE.versions ?? {}));
      expect(elf === undefined ? undefined : glibcNeeded(elf)).toEqual([2, 34]);
    }
  });

  it('say what of the processor they need, where their note does', () => {
    expect(readProperties(makeElf({ x86Level: 3 }))).toMatchObject({ x86Level: 3 });
    expect(readProperties(makeElf())).toEqual({});
    expect(readProperties(Buffer.from('text'))).toEqual({});
  });
});

describe('stripping', () => {
  it('takes debugging sections out, and nothing that is loaded', () => {
    for (const name of ['debug-x86_64.so', 'debug-arm64.so']) {
      const before = fixture(name);
      const after = stripElf(before, 'debug');
      if (after === undefined) throw new Error('nothing was stripped');
      expect(after.length).toBeLessThan(before.length);
      const loaded = Number(before.readBigUInt64LE(64 + 32));
      // All of the first segment but the file header's offset and number of section headers.
      expect(after.subarray(64, loaded).equals(before.subarray(64, loaded))).toBe(true);
      expect(readElf(after)).toEqual(readElf(before));
      expect([after.includes('smooth'), after.includes('DW_'), stripElf(after, 'debug')]).toEqual([
        true,
        false,
        undefined,
      ]);
      const all = stripElf(before, 'all');
      expect(all?.length).toBeLessThan(after.length);
      expect(sectionsOf(all ?? after).filter((one) => /symtab|strtab|comment|debug/.test(one))).toEqual(['.shstrtab']);
    }
  });

  it('takes out what the policy says, in both word sizes and byte orders', () => {
    for (const shape of SHAPES) {
      const before = makeElf({ ...WHOLE, ...shape });
      const [debug, all] = [stripElf(before, 'debug') ?? before, stripElf(before, 'all') ?? before];
      expect(sectionsOf(debug)).toEqual(['', '.text', '.comment', '.rest', '.shstrtab']);
      expect(sectionsOf(all)).toEqual(['', '.text', '.rest', '.shstrtab']);
      expect([all.includes('stays'), all.includes('a compiler'), debugBytes(before), debugBytes(all)]).toEqual([
        true,
        false,
        10,
        0,
      ]);
      expect(readElf(all)).toEqual(readElf(before));
    }
  });

  it('leaves alone what it cannot know: objects, data behind the end, files without sections', () => {
    const sections = { '.debug_info': 'x'.repeat(9000) };
    const behind = Buffer.concat([makeElf({ sections }), Buffer.alloc(5000, 7)]);
    expect([stripElf(makeElf({ sections, type: 1 }), 'all'), stripElf(behind, 'all')]).toEqual([undefined, undefined]);
    expect(stripElf(makeElf(), 'all')).toBeUndefined();
  });

  it('keeps whole what only seems to be loaded', () => {
    const before = makeElf({ relroBeyond: 6, sections: { '.rest': 'stays as it is', '.debug_info': 'x'.repeat(500) } });
    const after = stripElf(before, 'all');
    expect([after?.includes('stays as it is'), after?.includes('xxx')]).toEqual([true, false]);
  });

  it('reads nothing of what goes', () => {
    const bytes = makeElf({ sections: { '.debug_info': 'x'.repeat(500_000) } });
    let read = 0;
    const counting = {
      size: bytes.length,
      read: (at: number, length: number) => {
        read += length;
        return bytes.subarray(at, at + length);
      },
    };
    expect(planStrip(counting, 'all')?.size).toBeLessThan(2000);
    expect(read).toBeLessThan(4000);
  });
});

describe('damaged ELF files', () => {
  it('are read, or not, whatever was done to them, but never past their end', () => {
    const good = fixture('debug-x86_64.so');
    for (let length = 0; length < good.length; length += 97) {
      readElf(good.subarray(0, length));
      stripElf(good.subarray(0, length), 'debug');
    }
    for (let at = 0; at < 64; at++) {
      const bytes = Buffer.from(good);
      bytes[at] = 0xff;
      readElf(bytes);
      stripElf(bytes, 'all');
      readProperties(bytes);
    }
    expect([readElf(Buffer.from('text')), stripElf(Buffer.alloc(0), 'debug')]).toEqual([undefined, undefined]);
  });

  it('say what is wrong: tables outside the file, version tables that go round', () => {
    const cut = makeElf(WHOLE).subarray(0, 300);
    expect(readElfOrFault(cut)).toEqual({ fault: expect.stringMatching(/bytes at offset/) as string });
    const round = makeElf({ versions: { 'libc.so.6': Array.from({ length: 200 }, () => 'GLIBC_2.1') } });
    // The table says that it goes on, and every row is followed by the one before its end.
    const at = round.indexOf(Buffer.from([1, 0, 200, 0]));
    round.writeUInt16LE(0xffff, at + 2);
    round.writeUInt32LE(16, at + 16 + 199 * 16 + 12);
    expect(readElfOrFault(round)).toHaveProperty('fault');
  });

  it('tell which section a byte is in', () => {
    const a = makeElf(WHOLE);
    expect([sectionAt(a, a.indexOf('stays')), sectionAt(Buffer.from('text'), 0)]).toEqual(['.rest', undefined]);
  });
});
