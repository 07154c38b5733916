/** Which symbols of which library ask for a version (LSB, "Symbol Version Table"). */
import { isRangeError } from '../../base/errors';
import { sourceOfBytes, stretchOf, type ByteSource } from '../byte-source';
import { Fields } from '../fields';
import { versionsByNumber } from './elf';
import { MAX_ENTRIES, readHeader, readSections, SHT, type Section } from './header';

const SHT_DYNSYM = 11;
const SHT_GNU_VERSYM = 0x6fffffff;
const VERSION_MASK = 0x7fff;
const MAX_SYMBOLS = 4 * MAX_ENTRIES;

/** Names of the symbols that need a version such as `GLIBC_2.34`; none where the file does not tell. */
export function symbolsNeeding(bytes: Uint8Array, version: string): string[] {
  try {
    return find(sourceOfBytes(bytes), version);
  } catch (error) {
    if (isRangeError(error)) return [];
    throw error;
  }
}

function find(source: ByteSource, version: string): string[] {
  const numbers = new Set(versionsByNumber(source).flatMap(({ name, index }) => (name === version ? [index] : [])));
  const header = readHeader(source);
  const sections = readSections(source, header);
  const symbols = sections.find(({ type }) => type === SHT_DYNSYM);
  const versions = sections.find(({ type }) => type === SHT_GNU_VERSYM);
  const names = symbols === undefined ? undefined : sections[symbols.link];
  if (symbols === undefined || versions === undefined || names === undefined) return [];
  const read = ({ offset, size }: Section): Fields => new Fields(stretchOf(source, offset, size), header.littleEndian);
  const [symbolFields, versionFields, strings] = [read(symbols), read(versions), read(names)];
  const width = header.is64 ? 24 : 16;
  const count = Math.min(Math.floor(symbols.size / width), Math.floor(versions.size / 2), MAX_SYMBOLS);
  return Array.from({ length: count }, (_, i) => i)
    .filter((i) => numbers.has(versionFields.u16(i * 2) & VERSION_MASK))
    .map((i) => strings.text(symbolFields.u32(i * width)));
}

/** Name of the section that a byte of the file is in; undefined where it is in none. */
export function sectionAt(bytes: Uint8Array | ByteSource, at: number): string | undefined {
  try {
    const source = bytes instanceof Uint8Array ? sourceOfBytes(bytes) : bytes;
    return readSections(source, readHeader(source)).find(
      ({ offset, size, type }) => type !== SHT.nobits && at >= offset && at < offset + size,
    )?.name;
  } catch (error) {
    if (isRangeError(error)) return undefined;
    throw error;
  }
}
