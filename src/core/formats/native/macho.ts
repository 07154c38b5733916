/** The headers and needs of Mach-O files, also those for several processors (mach-o/loader.h, mach-o/fat.h). */
import { stretchOf, type ByteSource } from '../byte-source';
import { Fields } from '../fields';
import type { NativeInfo, NativeMachine } from './model';

const MAGIC_32 = 0xfeedface;
const MAGIC_64 = 0xfeedfacf;
const FAT = 0xcafebabe;
const FAT_64 = 0xcafebabf;
/** Compiled Java begins with the same four bytes; its next number is a version, 45 or more. */
const MAX_FAT = 32;
const MAX_COMMANDS = 16_384;
const MACHINES: Readonly<Record<number, NativeMachine>> = {
  0x01000007: { name: 'x86_64', bits: 64 },
  0x0100000c: { name: 'arm64', bits: 64 },
  7: { name: 'x86 (32 bit)', bits: 32 },
  12: { name: 'arm (32 bit)', bits: 32 },
};
const KINDS: Readonly<Record<number, NativeInfo['kind']>> = { 1: 'object', 2: 'program', 6: 'library', 8: 'library' };
/** LC_LOAD_DYLIB, and those for weak, re-exported, lazy and upward ones. */
const LOADS = new Set([0xc, 0x80000018, 0x8000001f, 0x20, 0x80000023]);

/** Whether bytes begin as a Mach-O file does, of one processor or several. */
export function isMachO(start: Uint8Array): boolean {
  if (start.length < 8) return false;
  const [big, little] = [new Fields(start, false), new Fields(start, true)];
  if ([big.u32(0), little.u32(0)].some((magic) => magic === MAGIC_32 || magic === MAGIC_64)) return true;
  return (big.u32(0) === FAT || big.u32(0) === FAT_64) && big.u32(4) > 0 && big.u32(4) <= MAX_FAT;
}

/** @throws RangeError for a file whose tables lead outside it */
export function readMachO(source: ByteSource): NativeInfo {
  const start = new Fields(stretchOf(source, 0, 8), false);
  const magic = start.u32(0);
  if (magic !== FAT && magic !== FAT_64) return readThin(source, 0);
  const width = magic === FAT_64 ? 32 : 20;
  const table = new Fields(stretchOf(source, 8, start.u32(4) * width), false);
  // cputype 4, cpusubtype 4, offset 4 or 8, size 4 or 8, align 4.
  const parts = Array.from({ length: start.u32(4) }, (_, i) =>
    readThin(source, magic === FAT_64 ? table.u64(i * width + 8) : table.u32(i * width + 8)),
  );
  const [first] = parts;
  if (first === undefined) throw new RangeError('code for no processor');
  const needs = [...new Set(parts.flatMap((part) => part.needs))];
  return { ...first, machines: parts.flatMap((part) => part.machines), needs };
}

function readThin(source: ByteSource, at: number): NativeInfo {
  const magicBytes = new Fields(stretchOf(source, at, 4), true);
  const little = magicBytes.u32(0) === MAGIC_32 || magicBytes.u32(0) === MAGIC_64;
  const is64 = new Fields(magicBytes.bytes, little).u32(0) === MAGIC_64;
  if (!is64 && new Fields(magicBytes.bytes, little).u32(0) !== MAGIC_32) throw new RangeError('no Mach-O header');
  const headerBytes = is64 ? 32 : 28;
  // magic 4, cputype 4, cpusubtype 4, filetype 4, ncmds 4, sizeofcmds 4, flags 4.
  const header = new Fields(stretchOf(source, at, headerBytes), little);
  const cpu = header.u32(4);
  if (header.u32(16) > MAX_COMMANDS) throw new RangeError('more load commands than any file has');
  const commands = new Fields(stretchOf(source, at + headerBytes, header.u32(20)), little);
  return {
    format: 'Mach-O',
    system: 'macOS',
    kind: KINDS[header.u32(12)] ?? 'module',
    machines: [MACHINES[cpu] ?? { name: `processor ${String(cpu)}`, bits: is64 ? 64 : 32 }],
    needs: readLoads(commands, header.u32(16)),
  };
}

function readLoads(commands: Fields, count: number): string[] {
  const needs: string[] = [];
  for (let i = 0, at = 0; i < count; i++) {
    const [command, size] = [commands.u32(at), commands.u32(at + 4)];
    if (size < 8) throw new RangeError('a load command without a size');
    if (LOADS.has(command)) needs.push(commands.text(at + commands.u32(at + 8)));
    at += size;
  }
  return needs;
}
