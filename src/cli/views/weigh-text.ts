/** How weights read: the whole, its limits, then the same bytes by dependency, by place and by kind, and what could go. */
import { formOf } from '../../core/forms';
import { present } from '../../core/base/present';
import { count, listed, printable } from '../../core/base/text';
import { formatSize } from '../../core/base/units';
import { percent } from '../../core/findings/amounts';
import type { DependencyGroup, Group, LayerGroup, Part, Weighed } from '../../core/pipeline/weigh';
import { bar, gaugeCells, shareBar } from './bar';
import type { Paint } from './paint';
import { table } from './table';

export interface WeighTextOptions {
  readonly paint: Paint;
  readonly quiet: boolean;
  readonly verbose: boolean;
}

const SHOWN = 12;
const SHOWN_GROUPS = 8;

function placeWord({ form, parts }: Weighed): string {
  if (parts.some(({ section }) => section !== undefined)) return 'section';
  return formOf(form).places;
}

/** What takes the room in an artifact, for people: by dependency, by place, by kind, and what could go. */
export function weighText(weighed: Weighed, options: WeighTextOptions): string {
  const { paint, quiet } = options;
  const sections = [
    headline(weighed, paint),
    limits(weighed, paint),
    dependencies(weighed, options),
    ...(quiet ? [] : [groups(`by ${placeWord(weighed)}`, weighed.places, weighed, options)]),
    ...(quiet || weighed.sources === undefined ? [] : [groups('by source', weighed.sources, weighed, options)]),
    ...(quiet ? [] : [groups('by kind', weighed.kinds.map(named), weighed, options)]),
    layers(weighed, options),
    trimmed(weighed, options),
    savings(weighed, options),
  ];
  return sections.filter((one) => one !== '').join('\n\n');
}

/** Every part by itself, the heaviest first. */
export function partsText({ parts, total }: Weighed, { paint, verbose }: WeighTextOptions): string {
  const sorted = [...parts].sort((a, b) => b.unpacked - a.unpacked || b.packed - a.packed);
  const shown = verbose ? sorted : sorted.slice(0, MOST_PARTS);
  const rows = shown.map(({ path, inside, section, unpacked, packed, owner }) => [
    ...[shareBar(unpacked / Math.max(1, total.unpacked), paint), formatSize(unpacked), formatSize(packed)],
    paint.name(printable(path)),
    paint.dim(
      [owner.title, ...[section ?? inside].flatMap((at) => (at === undefined ? [] : [`in ${printable(at)}`]))].join(
        ', ',
      ),
    ),
  ]);
  return [table(rows, [1, 2]), ...more(sorted.length - shown.length, 'part', paint)].join('\n');
}

const MOST_PARTS = 40;

const ORIGINS: Readonly<Record<Weighed['origins'], string>> = {
  known: '',
  'no-waybill': 'without a waybill: whose its files are is told by their names, and why they are there by nothing',
  'other-waybill': 'its waybill is of another artifact, and says nothing of this one: weighed as if made by others',
};

/** What is to be said first; nothing where origins are known. */
export function originsRemark({ origins }: Pick<Weighed, 'origins'>): string {
  return ORIGINS[origins];
}

/** What it is, and what it weighs as a whole. */
export function headline(weighed: Weighed, paint: Paint): string {
  const { name, arch, total, files, artifact, origins } = weighed;
  const what = `${formatSize(total.packed)} packed, ${formatSize(total.unpacked)} unpacked, ${count(files, 'file')}`;
  const head = `${paint.bold(printable(name))}${arch === undefined ? '' : ` ${arch}`}: ${what}  ${paint.dim(printable(artifact))}`;
  return origins === 'known' ? head : `${head}\n  ${paint.doubt('note')} ${ORIGINS[origins]}`;
}

function limits(weighed: Weighed, paint: Paint): string {
  return table(
    weighed.limits.map((gauge) => {
      const [used, allowed, share, by] = gaugeCells(gauge);
      return [gauge.name, bar(gauge, paint), used, paint.dim(allowed), share, paint.dim(by)];
    }),
    [2, 4],
  );
}

function heading(text: string, columns: readonly string[], paint: Paint): string[] {
  return ['', ...columns.map((one) => paint.dim(one)), paint.bold(text)];
}

function dependencies(weighed: Weighed, { paint, verbose }: WeighTextOptions): string {
  const { dependencies: all, total, graph } = weighed;
  const shown = verbose ? all : all.slice(0, SHOWN);
  const hasReasons = graph !== undefined && all.some(({ alone }) => alone !== undefined);
  const columns = ['unpacked', 'packed', ...(hasReasons ? ['alone', 'shared'] : [])];
  const rows = shown.map((one) => [
    shareBar(one.unpacked / Math.max(1, total.unpacked), paint),
    ...[formatSize(one.unpacked), formatSize(one.packed)],
    ...(hasReasons ? aloneCells(one, paint) : []),
    dependencyName(one, paint),
  ]);
  const rest = more(all.length - shown.length, 'more', paint);
  return [table([heading('by dependency', columns, paint), ...rows], hasReasons ? [1, 2, 3, 4] : [1, 2]), ...rest].join(
    '\n',
  );
}

function aloneCells({ alone, shared }: DependencyGroup, paint: Paint): string[] {
  if (alone === undefined) return ['', ''];
  return [
    paint.bold(formatSize(alone.unpacked)),
    shared === undefined || shared.unpacked === 0 ? paint.dim('–') : formatSize(shared.unpacked),
  ];
}

function dependencyName({ name, kind, by }: DependencyGroup, paint: Paint): string {
  if (kind !== 'package') return paint.dim(name);
  return `${paint.name(name)}${by === undefined ? '' : paint.dim(`  asked for by ${printable(listed(by))}`)}`;
}

const KIND_WORDS: Readonly<Record<string, string>> = {
  code: 'code',
  native: 'native code',
  data: 'data',
  metadata: 'metadata',
  frame: 'the form itself',
};

function named(group: Group): Group {
  return { ...group, name: KIND_WORDS[group.name] ?? group.name };
}

function groups(
  title: string,
  all: readonly Group[],
  { total }: Weighed,
  { paint, verbose }: WeighTextOptions,
): string {
  const shown = verbose ? all : all.slice(0, SHOWN_GROUPS);
  const rows = shown.map(({ name, files, unpacked, packed }) => [
    shareBar(unpacked / Math.max(1, total.unpacked), paint),
    ...[formatSize(unpacked), formatSize(packed)],
    `${printable(name)}${name.endsWith('/') || files > 1 ? paint.dim(`  ${count(files, 'part')}`) : ''}`,
  ]);
  const table_ = table([heading(title, ['unpacked', 'packed'], paint), ...rows], [1, 2]);
  return [table_, ...more(all.length - shown.length, 'more', paint)].join('\n');
}

function layers({ layers: all, total }: Weighed, { paint }: WeighTextOptions): string {
  if (all === undefined) return '';
  const rows = all.map(({ name, files, unpacked, packed, wasted }: LayerGroup) => [
    shareBar(unpacked / Math.max(1, total.unpacked), paint),
    ...[formatSize(unpacked), formatSize(packed)],
    wasted === 0 ? paint.dim('–') : paint.doubt(formatSize(wasted)),
    `${printable(name)}${paint.dim(`  ${count(files, 'file')}`)}`,
  ]);
  return table([heading('by layer', ['unpacked', 'packed', 'hidden'], paint), ...rows], [1, 2, 3]);
}

function trimmed({ trimmed: all, total }: Weighed, { paint, verbose }: WeighTextOptions): string {
  const saved = all.reduce((sum, { size }) => sum + size, 0);
  if (saved === 0) return '';
  const shown = verbose ? all : all.slice(0, SHOWN_GROUPS);
  const rows = shown.map(({ package: owner, by, size, files }) => [
    formatSize(size),
    `${printable(by)}${paint.dim(`  ${printable(owner)}, ${count(files.length, 'file')}`)}`,
  ]);
  const share = percent(saved / (saved + total.unpacked));
  return [
    `  ${paint.bold('left out by trimming')}  ${formatSize(saved)}, ${share} of what it would be`,
    table(rows, [0], '    '),
    ...more(all.length - shown.length, 'more', paint),
  ].join('\n');
}

function savings({ savings: all }: Weighed, { paint }: WeighTextOptions): string {
  if (all.length === 0) return '';
  const rows = all.map(({ what, about, unpacked, line }) => [
    unpacked === undefined ? paint.dim('to be tried') : formatSize(unpacked),
    paint.name(what),
    printable(about),
    line === undefined ? '' : paint.bold(line),
  ]);
  return [`  ${paint.bold('what could still go')}`, table(rows, [0], '    ')].join('\n');
}

function more(n: number, what: string, paint: Paint): string[] {
  return n > 0
    ? [paint.dim(`  … and ${what === 'more' ? `${String(n)} more` : count(n, `more ${what}`)} (--verbose)`)]
    : [];
}

/** A part as a document of `--json` has it. */
export function partRow({ path, inside, section, kind, owner, layer, unpacked, packed }: Part) {
  return { path, kind, owner: owner.title, unpacked, packed, ...present({ inside, section, layer }) };
}
