import { arMembers, readNative } from './';
import { ARM64, makeElf } from '../../../../test/support/elf-bytes';
import { sourceOfBytes } from '../byte-source';
import { makePe } from '../../../../test/support/pe-bytes';

/** An assembly: a PE file with a CLI header. @param flags of that */
function makeAssembly(flags: number, machine = 0x14c): Buffer {
  const bytes = makePe(machine, []);
  const optional = 240;
  bytes.copy(bytes, 88 + optional, 216, 256);
  bytes.fill(0, 216, 216 + 12);
  bytes.writeUInt16LE(optional, 84);
  bytes.writeUInt32LE(0x1000 + 300, 88 + 112 + 14 * 8);
  bytes.writeUInt32LE(flags, 512 + 300 + 16);
  return bytes;
}

function makeMachO(cpu: number, loads: readonly string[]): Buffer {
  const commands = loads.map((name) => {
    const bytes = Buffer.alloc(56);
    bytes.writeUInt32LE(0xc, 0);
    bytes.writeUInt32LE(56, 4);
    bytes.writeUInt32LE(24, 8);
    bytes.write(name, 24);
    return bytes;
  });
  const header = Buffer.alloc(32);
  [0xfeedfacf, cpu, 0, 6, loads.length, commands.length * 56, 0, 0].forEach((n, i) => header.writeUInt32LE(n, i * 4));
  return Buffer.concat([header, ...commands]);
}

function makeFat(parts: readonly Buffer[]): Buffer {
  const table = Buffer.alloc(8 + parts.length * 20);
  table.writeUInt32BE(0xcafebabe, 0);
  table.writeUInt32BE(parts.length, 4);
  let at = table.length;
  parts.forEach((part, i) => {
    table.writeUInt32BE(at, 8 + i * 20 + 8);
    at += part.length;
  });
  return Buffer.concat([table, ...parts]);
}

function makeAr(members: Readonly<Record<string, Buffer>>): Buffer {
  const parts = Object.entries(members).map(([name, content]) => {
    const header = `${name.padEnd(16)}${'0'.padEnd(12)}${'0'.padEnd(6)}${'0'.padEnd(6)}${'644'.padEnd(8)}${String(content.length).padEnd(10)}\`\n`;
    return Buffer.concat([Buffer.from(header), content, Buffer.alloc(content.length % 2)]);
  });
  return Buffer.concat([Buffer.from('!<arch>\n'), ...parts]);
}

const WASM = Buffer.from([
  ...[0, 0x61, 0x73, 0x6d, 1, 0, 0, 0],
  // One import: function `go` of the module `env`.
  ...[2, 10, 1, 3, 0x65, 0x6e, 0x76, 2, 0x67, 0x6f, 0, 0],
]);
const ARM_MACHO = makeMachO(0x0100000c, ['/usr/lib/libtide.dylib']);
const FAT = makeFat([makeMachO(0x01000007, ['/usr/lib/libtide.dylib']), ARM_MACHO]);
const AR = makeAr({ '//': Buffer.from('a-long-name-of-an-object.o/\n'), '/0': makeElf({ machine: ARM64, type: 1 }) });

describe('compiled files of every kind', () => {
  it('say what they are for, and what they need', () => {
    const windows = makePe(0xaa64, ['TIDE.dll', 'KERNEL32.dll']);
    expect([windows, ARM_MACHO, FAT, WASM, makeElf({ needed: ['libc.so.6'] })].map((one) => readNative(one))).toEqual([
      {
        format: 'PE',
        system: 'Windows',
        kind: 'library',
        machines: [{ name: 'arm64', bits: 64 }],
        needs: ['TIDE.dll', 'KERNEL32.dll'],
      },
      {
        format: 'Mach-O',
        system: 'macOS',
        kind: 'library',
        machines: [{ name: 'arm64', bits: 64 }],
        needs: ['/usr/lib/libtide.dylib'],
      },
      expect.objectContaining({ machines: [expect.objectContaining({ name: 'x86_64' }), { name: 'arm64', bits: 64 }] }),
      { format: 'WebAssembly', system: 'any', kind: 'module', machines: [{ name: 'wasm', bits: 32 }], needs: ['env'] },
      expect.objectContaining({ format: 'ELF', system: 'Linux', kind: 'library', needs: ['libc.so.6'] }),
    ]);
  });

  it('hold objects for a processor, in an archive with long names', () => {
    expect(readNative(AR)).toMatchObject({ format: 'ar', machines: [{ name: 'arm64', bits: 64 }] });
    expect(arMembers(sourceOfBytes(AR)).map(({ name }) => name)).toEqual(['a-long-name-of-an-object.o']);
  });

  it('are told from everything else', () => {
    const javaClass = Buffer.from([0xca, 0xfe, 0xba, 0xbe, 0, 0, 0, 61, 0, 0]);
    expect([javaClass, Buffer.from('#!/bin/sh\n'), Buffer.alloc(0)].map((one) => readNative(one))).toEqual([
      undefined,
      undefined,
      undefined,
    ]);
  });

  it('are none where their code is for a virtual machine only', () => {
    expect(readNative(makeAssembly(1))).toBeUndefined();
    // With code for a processor among it they are.
    expect(readNative(makeAssembly(0x10))).toMatchObject({ format: 'PE', machines: [{ name: 'x86 (32 bit)' }] });
    expect(readNative(makeAssembly(1).subarray(0, 512 + 310))).toMatchObject({ fault: expect.any(String) as string });
  });

  it.each([
    ['any processor', 0x1, 0x14c, undefined],
    ['any, 32 bits where there is a choice', 0x20003, 0x14c, undefined],
    ['32 bits only', 0x3, 0x14c, ['any', 'x86 (32 bit)']],
    ['one processor', 0x1, 0x8664, ['any', 'x86_64']],
    ['one processor, compiled ahead for Linux', 0x4, 0xaa64 ^ 0x7b79, ['Linux', 'arm64']],
    ['one processor, compiled ahead for another system', 0x4, 0x8664 ^ 0x4644, ['macOS', 'x86_64']],
  ] as const)('an assembly for %s is told by its header', (_, flags, machine, expected) => {
    const read = readNative(sourceOfBytes(makeAssembly(flags, machine)));
    const result = read === undefined || 'fault' in read ? undefined : [read.system, read.machines[0]?.name];
    expect(result).toEqual(expected);
  });

  it('are faults where they end too early or lie, and are never read past their end', () => {
    for (const whole of [makePe(0x8664, ['TIDE.dll']), ARM_MACHO, FAT, WASM, AR]) {
      for (let length = 0; length < whole.length; length += 3) readNative(whole.subarray(0, length));
      for (let at = 0; at < Math.min(whole.length, 300); at++) {
        const spoiled = Buffer.from(whole);
        spoiled[at] = 0xff;
        readNative(spoiled);
      }
    }
    expect(readNative(FAT.subarray(0, 60))).toEqual({ format: 'Mach-O', fault: expect.any(String) as string });
    expect(readNative(Buffer.from('MZ'))).toMatchObject({ format: 'PE', fault: expect.any(String) as string });
  });
});
