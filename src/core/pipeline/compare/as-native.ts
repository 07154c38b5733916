/** Executables and libraries: ELF by sections, needs and symbol versions; PE by its headers and sections. */
import { sourceOfBytes, type ByteSource } from '../../formats/byte-source';
import { readElf, readElfLayout, type ElfLayout } from '../../formats/elf';
import { peOutline, readNative } from '../../formats/native';
import {
  type Comparer,
  type Comparing,
  type Content,
  type Detail,
  type Difference,
  type Looked,
  sameStretch,
  textThere,
} from '../../forms/comparing';
import { pathCause } from './paths-in';

const NOBITS = 8;
const MOST_NAMES = 12;
const BUILD_ID = '.note.gnu.build-id';
const COMMENT = '.comment';

export const asElf: Comparer = (a, b, comparing, where) => {
  const [x, y] = [readElfLayout(a.source), readElfLayout(b.source)];
  if (x === undefined || y === undefined) return undefined;
  const details = headDetails(a.source, b.source);
  const inside = sectionDifferences(a, b, x, y);
  const names = symbolDetails(x, y);
  const looked: Looked = { as: 'ELF file', details: [...details, ...names], inside };
  const cause = causeOf(inside, details.length + names.length, a, b, comparing, where);
  return cause === undefined ? looked : { ...looked, cause };
};

function headDetails(a: ByteSource, b: ByteSource): Detail[] {
  const [x, y] = [readElf(a), readElf(b)];
  if (x === undefined || y === undefined) return [];
  const versions = (one: typeof x): string =>
    [...one.versions]
      .map(([library, all]) => `${library}: ${[...all].sort().join(' ')}`)
      .sort()
      .join('; ');
  const rows: readonly Detail[] = [
    { what: 'processor', a: String(x.machine), b: String(y.machine) },
    { what: 'kind', a: String(x.type), b: String(y.type) },
    { what: 'needs', a: x.needed.join(', '), b: y.needed.join(', ') },
    { what: 'is needed as', a: x.soname ?? 'none', b: y.soname ?? 'none' },
    { what: 'looks for needs in', a: [...x.rpath, ...x.runpath].join(':'), b: [...y.rpath, ...y.runpath].join(':') },
    { what: 'loader', a: x.interpreter ?? 'none', b: y.interpreter ?? 'none' },
    { what: 'symbol versions', a: versions(x), b: versions(y) },
  ];
  return rows.filter((row) => row.a !== row.b);
}

function sectionDifferences(a: Content, b: Content, x: ElfLayout, y: ElfLayout): Difference[] {
  const sections = (one: ElfLayout) =>
    new Map(one.sections.filter(({ name }) => name !== '').map((section) => [section.name, section]));
  const [first, second] = [sections(x), sections(y)];
  return [...new Set([...first.keys(), ...second.keys()])].flatMap((path): Difference[] => {
    const [from, to] = [first.get(path), second.get(path)];
    if (from === undefined) return [{ change: 'added', path, by: to?.size ?? 0, details: [] }];
    if (to === undefined) return [{ change: 'removed', path, by: -from.size, details: [] }];
    const isSame =
      from.size === to.size &&
      (from.type === NOBITS ||
        sameStretch({ source: a.source, at: from.offset }, { source: b.source, at: to.offset }, from.size));
    if (isSame) return [];
    return [
      {
        change: 'changed',
        path,
        by: to.size - from.size,
        as: 'section',
        details: sectionDetails(path, a, b, from, to),
      },
    ];
  });
}

interface Span {
  readonly offset: number;
  readonly size: number;
}

/** What short notes say in words or digits; of others, the text that stands where they first differ. */
function sectionDetails(path: string, a: Content, b: Content, from: Span, to: Span): Detail[] {
  if (path !== BUILD_ID && path !== COMMENT) return textThere(spanOf(a, from), spanOf(b, to));
  const read = ({ source }: Content, { offset, size }: Span): Buffer =>
    Buffer.from(source.read(offset, Math.min(size, 256)));
  const shown = (bytes: Buffer): string =>
    path === BUILD_ID ? bytes.subarray(16).toString('hex') : bytes.toString('latin1').replace(/\0+/g, ' ').trim();
  return [{ what: path === BUILD_ID ? 'build id' : 'made by', a: shown(read(a, from)), b: shown(read(b, to)) }];
}

/** Larger ones are looked into from their beginning. */
const MOST_SECTION_BYTES = 16 * 1024 ** 2;

function spanOf({ source }: Content, { offset, size }: Span): ByteSource {
  return sourceOfBytes(source.read(offset, Math.min(size, MOST_SECTION_BYTES)));
}

function symbolDetails(x: ElfLayout, y: ElfLayout): Detail[] {
  const [a, b] = [x, y].map(({ symbols }) => new Set(symbols.map(({ name }) => name)));
  if (a === undefined || b === undefined || a.size === 0 || b.size === 0) return [];
  const listed = (all: readonly string[]): string =>
    `${all.slice(0, MOST_NAMES).join(', ')}${all.length > MOST_NAMES ? ` and ${String(all.length - MOST_NAMES)} more` : ''}`;
  const gone = [...a].filter((name) => !b.has(name));
  const come = [...b].filter((name) => !a.has(name));
  return gone.length === 0 && come.length === 0 ? [] : [{ what: 'symbols', a: listed(gone), b: listed(come) }];
}

/** Sections whose content is about how it was made. */
const ABOUT_MAKING = new Set([BUILD_ID, COMMENT, '.gnu_debuglink', '.go.buildinfo', '.note.go.buildid']);

function causeOf(
  inside: readonly Difference[],
  others: number,
  a: Content,
  b: Content,
  comparing: Comparing,
  where: string,
) {
  const place = where === '' ? a.name : where;
  const detailOf = (section: string): Detail | undefined => inside.find(({ path }) => path === section)?.details[0];
  const [id, made] = [detailOf(BUILD_ID), detailOf(COMMENT)];
  const isAbout = others === 0 && inside.length > 0 && inside.every(({ path }) => ABOUT_MAKING.has(path));
  if (id !== undefined) comparing.note('build-id', place, id.a, id.b);
  if (made !== undefined) comparing.note('tool', place, made.a, made.b);
  if (isAbout) return made === undefined ? ('build-id' as const) : ('tool' as const);
  const path = others === 0 && a.source.size === b.source.size ? pathsOf(a, b) : undefined;
  if (path === undefined) return undefined;
  comparing.note('path', place, path.a, path.b);
  return path.isAll ? ('path' as const) : undefined;
}

const MOST_SEARCHED = 64 * 1024 ** 2;

function pathsOf(a: Content, b: Content): ReturnType<typeof pathCause> {
  if (a.source.size > MOST_SEARCHED) return undefined;
  const text = ({ source }: Content): string => Buffer.from(source.read(0, source.size)).toString('latin1');
  return pathCause(text(a), text(b));
}

export const asPe: Comparer = (a, b, comparing, where) => {
  const [x, y] = [peOutline(a.source), peOutline(b.source)];
  if (x === undefined || y === undefined) return undefined;
  const [needsA, needsB] = [needsOf(a.source), needsOf(b.source)];
  const rows: readonly Detail[] = [
    { what: 'processor', a: String(x.machine), b: String(y.machine) },
    { what: 'needs', a: needsA, b: needsB },
  ];
  const details = rows.filter((row) => row.a !== row.b);
  if (x.time !== y.time) comparing.note('time', where === '' ? a.name : where, x.time, y.time);
  const [first, second] = [
    new Map(x.sections.map((one) => [one.name, one])),
    new Map(y.sections.map((one) => [one.name, one])),
  ];
  const inside = [...new Set([...first.keys(), ...second.keys()])].flatMap((path): Difference[] => {
    const [from, to] = [first.get(path), second.get(path)];
    if (from === undefined || to === undefined)
      return [
        {
          change: from === undefined ? 'added' : 'removed',
          path,
          by: (to?.size ?? 0) - (from?.size ?? 0),
          details: [],
        },
      ];
    const isSame =
      from.size === to.size &&
      Buffer.compare(a.source.read(from.offset, from.size), b.source.read(to.offset, to.size)) === 0;
    const details = isSame ? [] : textThere(spanOf(a, from), spanOf(b, to));
    return isSame ? [] : [{ change: 'changed', path, by: to.size - from.size, as: 'section', details }];
  });
  const isTimeOnly = details.length === 0 && inside.length === 0 && x.time !== y.time;
  return { as: 'PE file', details, inside, ...(isTimeOnly && { cause: 'time' as const }) };
};

function needsOf(source: ByteSource): string {
  const reading = readNative(sourceOfBytes(source.read(0, source.size)));
  return reading === undefined || 'fault' in reading ? '' : reading.needs.join(', ');
}
