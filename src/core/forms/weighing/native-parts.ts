/** What an executable is made of: its sections and, where it names them, the functions and data in them by source package. */
import { groupBy } from '../../base/several';
import { sourceOfBytes, stretchOf, type ByteSource } from '../../formats/byte-source';
import { readElfLayout, type ElfLayout } from '../../formats/elf';
import { goFunctions, readSymbolName } from '../../formats/native';
import type { Waybill } from '../../waybill';
import type { Part, PartKind, PartOwner } from './model';
import { FRAME, UNTOLD } from './owners';
import { shares } from './shares';
import type { SourceOwner } from './source-owners';

const NOBITS = 8;
const MAX_TABLE_BYTES = 256 * 1024 ** 2;

/**
 * @param ownerOf whose the code of a source package is
 * @returns undefined for what is no ELF file
 */
export function nativeParts(
  source: ByteSource,
  ownerOf: (sourcePackage: string | undefined) => PartOwner,
): readonly Part[] | undefined {
  const layout = readElfLayout(source);
  if (layout === undefined) return undefined;
  const inside = contentsOf(source, layout);
  const owner = (sourcePackage: string | undefined): PartOwner =>
    sourcePackage === undefined && inside.size > 0 ? UNTOLD : ownerOf(sourcePackage);
  const parts: Part[] = [];
  let rest = source.size;
  // Sections may share bytes in files that nobody vouches for: each byte counts once.
  let end = 0;
  for (const { name, type, offset, size, number } of bySource(layout)) {
    const until = Math.min(offset + size, source.size);
    const bytes = type === NOBITS ? 0 : Math.max(0, until - Math.max(offset, end));
    if (bytes === 0) continue;
    end = Math.max(end, until);
    rest -= bytes;
    parts.push(...sectionParts(name, bytes, inside.get(number) ?? [], owner));
  }
  const frame = { path: 'headers and padding', kind: 'metadata' as const, owner: FRAME };
  return [...parts, { ...frame, unpacked: rest, packed: rest }];
}

/** Larger ones are weighed as a whole. */
const MOST_PROGRAM_BYTES = 512 * 1024 ** 2;

/**
 * The same parts, with what is in the executable that starts in its place, where the function is one.
 * @param read bytes of a file of that size
 */
export function programParts(
  parts: readonly Part[],
  { waybill, sourceOwner }: { readonly waybill: Waybill | undefined; readonly sourceOwner: SourceOwner },
  read: (path: string, size: number) => Uint8Array | undefined,
): readonly Part[] {
  const row = waybill?.files.findIndex(({ reason, kind }) => reason.why === 'entry' && kind === 'file') ?? -1;
  const at = row < 0 ? -1 : parts.findIndex((part) => part.row === row && part.kind === 'native');
  const whole = parts[at];
  if (whole === undefined || whole.unpacked > MOST_PROGRAM_BYTES) return parts;
  const bytes = read(whole.path, whole.unpacked);
  const found = bytes === undefined ? undefined : nativeParts(sourceOfBytes(bytes), sourceOwner);
  if (found === undefined) return parts;
  const weights = found.map(({ unpacked }) => unpacked);
  const packed = shares(whole.packed, weights);
  const inside = found.map((part, i): Part => {
    const layer = whole.layer === undefined ? {} : { layer: whole.layer };
    return { ...part, inside: whole.path, packed: packed[i] ?? 0, row, ...layer };
  });
  return [...parts.slice(0, at), ...inside, ...parts.slice(at + 1)];
}

interface Content {
  readonly name: string;
  readonly size: number;
}

function bySource({ sections }: ElfLayout) {
  return sections.map((section, number) => ({ ...section, number })).sort((a, b) => a.offset - b.offset);
}

/** What is in each section, by its number. */
function contentsOf(source: ByteSource, layout: ElfLayout): ReadonlyMap<number, readonly Content[]> {
  const found = new Map<number, Content[]>();
  for (const [section, all] of groupBy(layout.symbols, ({ section: one }) => String(one))) {
    // Several names may be of one place.
    const places = new Map(all.map((one) => [one.value, one]));
    found.set(Number(section), [...places.values()]);
  }
  const text = layout.sections.findIndex(({ name }) => name === '.text');
  const table = layout.sections.find(({ name }) => name === '.gopclntab');
  if (found.has(text) || table === undefined || table.size > MAX_TABLE_BYTES) return found;
  const functions = goFunctions(stretchOf(source, table.offset, table.size), layout.littleEndian);
  if (functions !== undefined) found.set(text, functions);
  return found;
}

function sectionParts(
  section: string,
  bytes: number,
  contents: readonly Content[],
  ownerOf: (sourcePackage: string | undefined) => PartOwner,
): Part[] {
  const kind = kindOfSection(section);
  const parts: Part[] = [];
  let rest = bytes;
  for (const { name, size } of contents) {
    const weight = Math.min(size, rest);
    if (weight === 0) continue;
    rest -= weight;
    const { shown, package: sourcePackage } = readSymbolName(name);
    const source = sourcePackage === undefined ? {} : { source: sourcePackage };
    const place = { path: shown, section, kind, owner: ownerOf(sourcePackage), ...source };
    parts.push({ ...place, unpacked: weight, packed: weight });
  }
  if (rest > 0) {
    const path = parts.length === 0 ? section : `the rest of ${section}`;
    parts.push({ path, section, kind, owner: ownerOf(undefined), unpacked: rest, packed: rest });
  }
  return parts;
}

function kindOfSection(name: string): PartKind {
  if (/^\.(?:text|init|fini|plt)/.test(name)) return 'native';
  if (/^\.(?:debug|z?debug|symtab|strtab|shstrtab|comment|note|gnu\.|dyn|hash|rel|eh_frame|gcc_except)/.test(name))
    return 'metadata';
  return name.startsWith('.go') ? 'metadata' : 'data';
}
