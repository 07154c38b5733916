/** The headers and imports of PE files (Microsoft PE and COFF Specification; ECMA-335 for what runs on a virtual machine). */
import { stretchOf, type ByteSource } from '../byte-source';
import { Fields } from '../fields';
import type { NativeInfo, NativeMachine } from './model';
import { isPe, readPeHeaders, type PeSection } from './pe-headers';

const PE_OFFSET_AT = 0x3c;
const SIGNATURE = 0x4550;
const IS_DLL = 0x2000;
/** Numbers of data directories: the table of imports, and the CLI header (ECMA-335, II.25.2.3.3). */
const IMPORTS = 1;
const CLI_HEADER = 14;
/** The code is for a virtual machine only, so the processor does not matter (ECMA-335, II.25.3.3.1). */
const IL_ONLY = 1;
/** Compiled ahead, with its common code beside. */
const IL_LIBRARY = 4;
const [NEEDS_32, PREFERS_32] = [0x2, 0x20000];
const X86 = 0x14c;
const SYSTEMS = [
  ['any', 0],
  ['Linux', 0x7b79],
  ['macOS', 0x4644],
  ['FreeBSD', 0xadc4],
] as const;
const MAX_SECTIONS = 96;
const MAX_IMPORTS = 4096;
const MAX_NAME = 512;
const MACHINES: Readonly<Record<number, NativeMachine>> = {
  0x8664: { name: 'x86_64', bits: 64 },
  0xaa64: { name: 'arm64', bits: 64 },
  0x14c: { name: 'x86 (32 bit)', bits: 32 },
  0x1c0: { name: 'arm (32 bit)', bits: 32 },
  0x1c4: { name: 'arm (32 bit)', bits: 32 },
};

/**
 * Undefined for a managed assembly that runs on every processor.
 * @throws RangeError for a file whose tables lead outside it
 */
export function readPe(source: ByteSource): NativeInfo | undefined {
  const { machine: number, characteristics, is64, sections, directory } = readPeHeaders(source);
  const kind = (characteristics & IS_DLL) !== 0 ? 'library' : 'program';
  const flags = cliFlags(source, directory(CLI_HEADER)?.address ?? 0, sections);
  if (flags !== undefined && (flags & (IL_ONLY | IL_LIBRARY)) !== 0) return managedInfo(number, flags, kind);
  const machine = MACHINES[number] ?? { name: `processor ${String(number)}`, bits: is64 ? 64 : 32 };
  return {
    format: 'PE',
    system: 'Windows',
    kind,
    machines: [machine],
    needs: readImports(source, directory(IMPORTS)?.address ?? 0, sections),
  };
}

function cliFlags(source: ByteSource, header: number, sections: readonly PeSection[]): number | undefined {
  if (header === 0) return undefined;
  // Cb 4, MajorRuntimeVersion 2, MinorRuntimeVersion 2, MetaData 8, Flags 4.
  return new Fields(stretchOf(source, offsetOf(header, sections), 20), true).u32(16);
}

/** Code for a virtual machine may say all the same on which processors it runs; undefined for all of them. */
function managedInfo(number: number, flags: number, kind: NativeInfo['kind']): NativeInfo | undefined {
  if (number === X86 && ((flags & NEEDS_32) === 0 || (flags & PREFERS_32) !== 0)) return undefined;
  // Code that was compiled ahead has its processor folded with a number of the system.
  const [system, folded] = SYSTEMS.find(([, fold]) => MACHINES[number ^ fold] !== undefined) ?? (['any', 0] as const);
  const machine = MACHINES[number ^ folded] ?? { name: `processor ${String(number)}`, bits: 64 };
  return { format: 'PE', system, kind, machines: [machine], needs: [] };
}

function readImports(source: ByteSource, table: number, sections: readonly PeSection[]): string[] {
  if (table === 0) return [];
  const names: string[] = [];
  for (let at = offsetOf(table, sections); ; at += 20) {
    // Name is the fourth of five numbers; a row of zeros ends the table.
    const name = new Fields(stretchOf(source, at, 20), true).u32(12);
    if (name === 0) return names;
    if (names.length >= MAX_IMPORTS) throw new RangeError('an import table that goes on and on');
    const nameAt = offsetOf(name, sections);
    names.push(new Fields(stretchOf(source, nameAt, Math.min(MAX_NAME, source.size - nameAt)), true).text(0));
  }
}

function offsetOf(address: number, sections: readonly PeSection[]): number {
  const section = sections.find((one) => address >= one.address && address < one.address + one.size);
  if (section === undefined) throw new RangeError('an address that is not in the file');
  return section.offset + (address - section.address);
}

export interface PeOutline {
  readonly machine: number;
  /** TimeDateStamp, as a time or, where it is a digest, in hexadecimal. */
  readonly time: string;
  readonly sections: readonly { readonly name: string; readonly offset: number; readonly size: number }[];
}

/** Headers and sections, of managed assemblies too; undefined for what is none. */
export function peOutline(source: ByteSource): PeOutline | undefined {
  if (source.size < 64 || !isPe(source.read(0, 2))) return undefined;
  const at = new Fields(stretchOf(source, 0, 64), true).u32(PE_OFFSET_AT);
  const coff = new Fields(stretchOf(source, at, 24), true);
  const count = coff.u16(6);
  if (coff.u32(0) !== SIGNATURE || count > MAX_SECTIONS) return undefined;
  const table = new Fields(stretchOf(source, at + 24 + coff.u16(20), count * 40), true);
  const sections = Array.from({ length: count }, (_, i) => {
    const name = Buffer.from(table.bytes.subarray(i * 40, i * 40 + 8))
      .toString('latin1')
      .replace(/\0+$/, '');
    const [size, offset] = [table.u32(i * 40 + 16), table.u32(i * 40 + 20)];
    return { name, offset, size: Math.max(0, Math.min(size, source.size - offset)) };
  });
  const stamp = coff.u32(8);
  // Deterministic builds put part of a digest there, whose first bit is often set: no time of our days.
  const time = stamp > 0x7fffffff ? stamp.toString(16) : new Date(stamp * 1000).toISOString();
  return { machine: coff.u16(4), time, sections };
}
