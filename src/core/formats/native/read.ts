/** Tells of any compiled file what it is for: ELF, PE, Mach-O, archives of objects, WebAssembly. */
import { isRangeError } from '../../base/errors';
import { sourceOfBytes, type ByteSource } from '../byte-source';
import { ET, isElf, MACHINES, readElfOrFault, type ElfFile } from '../elf';
import { arMembers, isAr } from './ar';
import { isMachO, readMachO } from './macho';
import type { NativeInfo, NativeMachine, NativeReading } from './model';
import { readPe } from './pe';
import { isPe } from './pe-headers';
import { isWasm, readWasm } from './wasm';

const START_BYTES = 20;
/** So many objects of an archive say for which processors it is. */
const MAX_OBJECTS = 64;
const FREEBSD = 9;

/** Undefined for what is no compiled file, or compiled for no processor. */
export function readNative(bytes: Uint8Array | ByteSource): NativeReading | undefined {
  const source = bytes instanceof Uint8Array ? sourceOfBytes(bytes) : bytes;
  const start = source.read(0, Math.min(START_BYTES, source.size));
  const reader = READERS.find(({ isOne }) => isOne(start));
  if (reader === undefined) return undefined;
  try {
    return reader.read(source);
  } catch (error) {
    if (isRangeError(error)) return { format: reader.format, fault: (error as RangeError).message };
    throw error;
  }
}

/** What an ELF file says, as files of other formats say it. */
export function describeElf(elf: ElfFile, osAbi = 0): NativeInfo {
  return {
    format: 'ELF',
    system: osAbi === FREEBSD ? 'FreeBSD' : 'Linux',
    kind: kindOf(elf),
    machines: [{ name: MACHINES[elf.machine] ?? `processor ${String(elf.machine)}`, bits: elf.bits }],
    needs: elf.needed,
  };
}

function kindOf({ type, interpreter, soname }: ElfFile): NativeInfo['kind'] {
  if (type === ET.relocatable) return 'object';
  if (type === ET.executable) return 'program';
  return interpreter !== undefined && soname === undefined ? 'program' : 'library';
}

function readElfFile(source: ByteSource): NativeInfo {
  const elf = readElfOrFault(source);
  if ('fault' in elf) throw new RangeError(elf.fault);
  return describeElf(elf, source.read(0, 8)[7]);
}

function readArchive(source: ByteSource): NativeInfo {
  const machines = new Map<string, NativeMachine>();
  for (const { at, size } of arMembers(source).slice(0, MAX_OBJECTS)) {
    const member = readNative({
      size,
      read: (offset, length) => source.read(at + offset, Math.min(length, size - offset)),
    });
    if (member === undefined || 'fault' in member) continue;
    for (const machine of member.machines) machines.set(machine.name, machine);
  }
  return { format: 'ar', system: 'any', kind: 'archive', machines: [...machines.values()], needs: [] };
}

const READERS: readonly {
  readonly format: NativeInfo['format'];
  readonly isOne: (start: Uint8Array) => boolean;
  readonly read: (source: ByteSource) => NativeInfo | undefined;
}[] = [
  { format: 'ELF', isOne: isElf, read: readElfFile },
  { format: 'PE', isOne: isPe, read: readPe },
  { format: 'Mach-O', isOne: isMachO, read: readMachO },
  { format: 'ar', isOne: isAr, read: readArchive },
  { format: 'WebAssembly', isOne: isWasm, read: readWasm },
];
