/**
 * What a file declares of the processor it needs: properties in a note (Linux Extensions to gABI, "Program Properties"),
 * and what Go's compiler notes of how it was called.
 */
import { isRangeError } from '../../base/errors';
import { sourceOfBytes, stretchOf, type ByteSource } from '../byte-source';
import { Fields } from '../fields';
import { PT, readHeader, readSections, readSegments, type ElfHeader } from './header';

export interface ElfProperties {
  /** The level of x86-64 that is needed (x86-64 psABI, "Micro-Architecture Levels"): 1 to 4; undefined where the file does not say. */
  readonly x86Level?: number;
  /** `v8.2`, where Go's compiler was told so. */
  readonly armVersion?: string;
  /** Who says so, as shown to people. */
  readonly by?: string;
  /** The version of Go that made it, `go1.24.1`. */
  readonly go?: string;
}

const NT_GNU_PROPERTY_TYPE_0 = 5;
const GNU_PROPERTY_X86_ISA_1_NEEDED = 0xc0008002;
const MAX_NOTE = 64 * 1024;
const MAX_BUILD_INFO = 1024 * 1024;
const GO_MAGIC = '\xff Go buildinf:';
/** Go's strings stand behind the header of its note, when its flags say so. */
const GO_INLINE = 2;
const GO_HEADER = 32;

/** What an ELF file says of the processor and the stack that it wants (gABI; x86-64 psABI, “Program Property”). */
export function readProperties(bytes: Uint8Array): ElfProperties {
  try {
    const source = sourceOfBytes(bytes);
    const header = readHeader(source);
    const go = readGo(source, header);
    if (go.x86Level !== undefined || go.armVersion !== undefined) return go;
    const x86Level = header.machine === 62 ? noteLevel(source, header) : undefined;
    return { ...go, ...(x86Level !== undefined && { x86Level, by: 'its note .note.gnu.property' }) };
  } catch (error) {
    if (isRangeError(error)) return {};
    throw error;
  }
}

function noteLevel(source: ByteSource, header: ElfHeader): number | undefined {
  const segment = readSegments(source, header).find(({ type }) => type === PT.gnuProperty);
  if (segment === undefined || segment.fileSize > MAX_NOTE) return undefined;
  const note = new Fields(stretchOf(source, segment.offset, segment.fileSize), header.littleEndian);
  // namesz 4, descsz 4, type 4, "GNU\0", then properties: type 4, size 4, data padded to a word.
  if (note.u32(8) !== NT_GNU_PROPERTY_TYPE_0 || note.u32(0) !== 4) return undefined;
  const end = 16 + note.u32(4);
  const align = header.is64 ? 8 : 4;
  for (let at = 16; at + 8 <= end;) {
    const size = note.u32(at + 4);
    if (note.u32(at) === GNU_PROPERTY_X86_ISA_1_NEEDED && size >= 4) return highestBit(note.u32(at + 8));
    at += 8 + Math.ceil(size / align) * align;
  }
  return undefined;
}

/** Bit 0 stands for the baseline, bit 1 for level 2, and so on. */
function highestBit(bits: number): number | undefined {
  const level = 32 - Math.clz32(bits);
  return level === 0 ? undefined : level;
}

function readGo(source: ByteSource, header: ElfHeader): ElfProperties {
  const section = readSections(source, header).find(({ name }) => name === '.go.buildinfo');
  if (section === undefined || section.size > MAX_BUILD_INFO) return {};
  // The strings may go on behind the section, in the same segment.
  const length = Math.min(MAX_BUILD_INFO, source.size - section.offset);
  const bytes = Buffer.from(stretchOf(source, section.offset, length));
  const text = bytes.toString('latin1');
  if (!text.startsWith(GO_MAGIC) || ((bytes[15] ?? 0) & GO_INLINE) === 0) return {};
  const version = goString(bytes, GO_HEADER);
  const info = goString(bytes, version.end).text;
  const [, level] = /^build\tGOAMD64=v(\d)$/m.exec(info) ?? [];
  const [, arm] = /^build\tGOARM64=(v[\d.]+)/m.exec(info) ?? [];
  return {
    go: version.text,
    ...(level !== undefined && { x86Level: Number(level), by: 'its GOAMD64' }),
    ...(arm !== undefined && { armVersion: arm, by: 'its GOARM64' }),
  };
}

/** A string behind its length, which is written seven bits a byte. */
function goString(bytes: Buffer, at: number): { text: string; end: number } {
  let length = 0;
  for (let shift = 0; shift < 28; shift += 7) {
    const byte = bytes.readUInt8(at++);
    length |= (byte & 0x7f) << shift;
    if ((byte & 0x80) === 0) break;
  }
  if (at + length > bytes.length) throw new RangeError('a text without an end');
  return { text: bytes.toString('latin1', at, at + length), end: at + length };
}
