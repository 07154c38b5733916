import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { glibcNeeded, MACHINES, readElf, stripElf } from '.';

const fixture = (name: string): Buffer => readFileSync(join(__dirname, '../../../../test/fixtures/elf', name));
const nodeItself = readFileSync(process.execPath);

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
    expect(elf === undefined ? undefined : glibcNeeded(elf)?.[0]).toBe(2);
  });

  it('lose their debugging sections and nothing that is loaded', () => {
    for (const name of ['debug-x86_64.so', 'debug-arm64.so']) {
      const before = fixture(name);
      const after = stripElf(before, 'debug');
      if (after === undefined) throw new Error('nothing was stripped');
      expect(after.length).toBeLessThan(before.length);
      const loaded = Number(before.readBigUInt64LE(64 + 32));
      // All of the first segment but the file header's offset of the section headers.
      expect(after.subarray(64, loaded).equals(before.subarray(64, loaded))).toBe(true);
      expect(readElf(after)).toEqual(readElf(before));
      expect([after.includes('smooth'), after.includes('DW_'), stripElf(after, 'debug')]).toEqual([
        true,
        false,
        undefined,
      ]);
    }
  });

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
      stripElf(bytes, 'debug');
    }
    expect([readElf(Buffer.from('text')), stripElf(Buffer.alloc(0), 'debug')]).toEqual([undefined, undefined]);
  });
});
