/** How a comparison reads: the verdict, then what differs in the terms of its format, then the likely cause. */
import { count, printable } from '../../core/base/text';
import { formatSize } from '../../core/base/units';
import { CAUSES, type Cause, type Comparison, type Detail, type Difference } from '../../core/pipeline/compare';
import type { Paint } from './paint';

export interface CompareTextOptions {
  readonly paint: Paint;
  readonly verbose: boolean;
}

const SHOWN = 40;
const SHOWN_INSIDE = 12;
const SHOWN_LINES = 20;
const MOST_LETTERS = 160;

const VERDICTS: Readonly<Record<Comparison['verdict'], string>> = {
  'same-bytes': 'same bytes',
  'same-content': 'same content, other packaging',
  differs: 'content differs',
};

/** What differs between two things, for people; of long lists the beginning, unless all is wanted. */
export function compareText(comparison: Comparison, options: CompareTextOptions): string {
  const { paint, verbose } = options;
  const { verdict, a, b, differences, unlisted, causes } = comparison;
  const color = verdict === 'same-bytes' ? paint.good : verdict === 'same-content' ? paint.doubt : paint.bad;
  const sides = [a, b].map(({ shown, as, size }, i) => {
    const weight = size > 0 ? `, ${formatSize(size)}` : '';
    return `  ${paint.dim(i === 0 ? 'first ' : 'second')}  ${paint.name(printable(shown))}  ${paint.dim(as + weight)}`;
  });
  const shown = verbose ? differences : differences.slice(0, SHOWN);
  const hidden = differences.length - shown.length + unlisted;
  const parts = [
    `${color(VERDICTS[verdict])}\n${sides.join('\n')}`,
    ...(shown.length > 0 ? [shown.map((one) => differenceText(one, options, 1)).join('\n')] : []),
    ...(hidden > 0 ? [paint.dim(`  … and ${count(hidden, 'more difference')} (--verbose)`)] : []),
    ...(differences.length > 1
      ? [`  ${paint.bold('in all')} ${tally(differences)}, ${signed(differences.reduce((sum, { by }) => sum + by, 0))}`]
      : []),
    ...(causes.length > 0 ? [causesText(verdict, causes, paint)] : []),
  ];
  return parts.join('\n\n');
}

const WORDS: Readonly<Record<Difference['change'], string>> = {
  added: 'added    ',
  removed: 'removed  ',
  changed: 'changed  ',
  moved: 'moved    ',
  described: 'described',
};

function differenceText(one: Difference, options: CompareTextOptions, depth: number): string {
  const { paint, verbose } = options;
  const color = {
    added: paint.good,
    removed: paint.bad,
    changed: paint.doubt,
    moved: paint.name,
    described: paint.dim,
  }[one.change];
  const indent = '  '.repeat(depth);
  const to = one.to === undefined ? '' : ` → ${printable(one.to)}`;
  const as = one.as === undefined || one.as === 'bytes' ? '' : `  ${paint.dim(one.as)}`;
  const cause = one.cause === undefined ? '' : `  ${paint.dim(`only ${CAUSES[one.cause]}`)}`;
  const weight = one.by === 0 ? '' : `  ${signed(one.by)}`;
  const inside = one.inside ?? [];
  const shown = verbose ? inside : inside.slice(0, SHOWN_INSIDE);
  const lines = verbose ? (one.lines ?? []) : (one.lines ?? []).slice(0, SHOWN_LINES);
  const cut = (one.lines?.length ?? 0) - lines.length;
  return [
    `${indent}${color(WORDS[one.change])} ${printable(one.path)}${to}${as}${weight}${cause}`,
    ...one.details.map((detail) => `${indent}    ${detailText(detail, paint)}`),
    ...lines.map((line) => `${indent}    ${lineText(line, paint)}`),
    ...(cut > 0 ? [paint.dim(`${indent}    … ${count(cut, 'more line')} (--verbose)`)] : []),
    ...shown.map((inner) => differenceText(inner, options, depth + 1)),
    ...(inside.length > shown.length
      ? [paint.dim(`${indent}    … and ${count(inside.length - shown.length, 'more')} (--verbose)`)]
      : []),
  ].join('\n');
}

function detailText({ what, a, b }: Detail, paint: Paint): string {
  const shown = (text: string): string => {
    const plain = printable(text);
    return plain === '' ? 'nothing' : plain.length > MOST_LETTERS ? `${plain.slice(0, MOST_LETTERS)}…` : plain;
  };
  return a === '' && b === '' ? paint.dim(printable(what)) : `${paint.dim(printable(what))}  ${shown(a)} → ${shown(b)}`;
}

function lineText(line: string, paint: Paint): string {
  const text = printable(line);
  if (line.startsWith('+')) return paint.good(text);
  return line.startsWith('-') ? paint.bad(text) : paint.dim(text);
}

function signed(by: number): string {
  return by === 0 ? '±0 B' : `${by > 0 ? '+' : '−'}${formatSize(Math.abs(by))}`;
}

/** How many differences of each kind there are, those inside others as well: `2 changed, 1 added`. */
export function tally(differences: readonly Difference[]): string {
  const counts = (['changed', 'added', 'removed', 'moved', 'described'] as const).flatMap((change) => {
    const n = differences.filter((one) => one.change === change).length;
    return n === 0 ? [] : [`${String(n)} ${change}`];
  });
  return counts.join(', ');
}

function causesText(verdict: Comparison['verdict'], causes: readonly Cause[], paint: Paint): string {
  const head = verdict === 'same-content' ? 'likely cause' : 'besides, packaging differs';
  const rows = causes.map(({ cause, where, a, b, times }) => {
    const more = times > 1 ? paint.dim(` and ${count(times - 1, 'more place')}`) : '';
    return `    ${CAUSES[cause]}: ${paint.dim(printable(where))}  ${printable(a)} → ${printable(b)}${more}`;
  });
  return [`  ${paint.bold(head)}`, ...rows].join('\n');
}

/** For a review: a heading, a table of what differs, and what each is in a list that can be opened. */
export function compareMarkdown({ verdict, a, b, differences, unlisted, causes }: Comparison): string {
  const rows = differences.slice(0, SHOWN * 5).map(({ change, path, to, by, as }) => {
    const name = to === undefined ? code(path) : `${code(path)} → ${code(to)}`;
    return `| ${change} | ${name} | ${as ?? ''} | ${by === 0 ? '' : signed(by)} |`;
  });
  const hidden = differences.length - rows.length + unlisted;
  const details = differences.filter(
    ({ details: own, lines, inside }) => own.length > 0 || lines !== undefined || inside !== undefined,
  );
  return [
    `### ${VERDICTS[verdict].replace(/^./, (letter) => letter.toUpperCase())}`,
    '',
    `${code(a.shown)} and ${code(b.shown)}${differences.length === 0 ? '' : `: ${tally(differences)}`}`,
    ...(rows.length === 0 ? [] : ['', '| change | what | as | weight |', '|---|---|---|--:|', ...rows]),
    ...(hidden > 0 ? ['', `and ${count(hidden, 'more difference')}`] : []),
    ...details.slice(0, SHOWN).flatMap((one) => ['', ...opened(one)]),
    ...(causes.length === 0
      ? []
      : ['', verdict === 'same-content' ? '**Likely cause**' : '**Besides, packaging differs**', '']),
    ...causes.map(({ cause, where, a: x, b: y }) => `- ${CAUSES[cause]}: ${code(where)} ${code(x)} → ${code(y)}`),
  ].join('\n');
}

function opened(one: Difference): string[] {
  const text = differenceText(one, { paint: PLAIN, verbose: false }, 0).split('\n').slice(1);
  const fence = '`'.repeat(Math.max(3, ...(text.join('\n').match(/`+/g) ?? []).map((ticks) => ticks.length + 1)));
  return [
    `<details><summary>${escaped(one.path)}</summary>`,
    '',
    `${fence}diff`,
    ...text.map((line) => line.replace(/^ {4}/, '')),
    fence,
    '',
    '</details>',
  ];
}

const same = (text: string): string => text;
const PLAIN: Paint = { bold: same, dim: same, good: same, bad: same, doubt: same, name: same };

/** Text in a span of code, whatever is in it (CommonMark, "Code spans"). */
function code(text: string): string {
  const plain = printable(text).replaceAll('|', '\\|');
  const ticks = '`'.repeat(1 + Math.max(0, ...(plain.match(/`+/g) ?? []).map(({ length }) => length)));
  return plain.startsWith('`') || plain.endsWith('`') ? `${ticks} ${plain} ${ticks}` : `${ticks}${plain}${ticks}`;
}

function escaped(text: string): string {
  return printable(text).replace(/[&<>*_`[\]\\]/g, (sign) => `&#${String(sign.codePointAt(0))};`);
}
