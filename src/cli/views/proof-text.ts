/** How a proof reads: a line a build, then what makes bytes differ, where, and the likely cause. */
import { count, listed, printable } from '../../core/base/text';
import {
  LIKELY,
  type Culprit,
  type Finding,
  type ProofBuild,
  type RecordsLine,
  type RecordSide,
  type Variation,
} from '../../core/pipeline/prove';
import type { Paint } from './paint';

/** @param all every variation that is tried */
export function buildText({ on, differs }: ProofBuild, all: readonly Variation[], paint: Paint): string {
  const verdict = differs.length === 0 ? paint.good('same bytes') : paint.bad('differs   ');
  const names = differs.map(({ name, arch, file }) => `${name} ${arch}${file === 'waybill' ? ', its waybill' : ''}`);
  const tail = names.length === 0 ? '' : paint.dim(`  ${namesText(names)}`);
  return `  ${verdict}  ${onText(on, all)}${tail}`;
}

const MOST_NAMES = 3;

function namesText(names: readonly string[]): string {
  const more = names.length - MOST_NAMES;
  return more > 0 ? `${names.slice(0, MOST_NAMES).join('; ')} and ${String(more)} more` : names.join('; ');
}

function onText(on: readonly Variation[], all: readonly Variation[]): string {
  const [only] = on;
  if (on.length === 1 && only !== undefined) return only.title;
  if (on.length === all.length) return 'all of these together';
  return on.map(({ id }) => id).join(', ');
}

/** A variation that this machine cannot make, and what would make it so. */
export function leftOutText(variation: Variation, mend: string, paint: Paint): string {
  return `  ${paint.doubt('left out  ')}  ${variation.title} ${paint.dim(`(to have it, ${mend})`)}`;
}

/** What made bytes differ, place by place. */
export function findingsText(findings: readonly Finding[], paint: Paint): string {
  return findings.map((one) => findingText(one, paint)).join('\n\n');
}

function findingText({ name, arch, file, culprit, place }: Finding, paint: Paint): string {
  const side = (text: string): string => (text === '' ? 'nothing' : printable(shortened(text)));
  return [
    `  ${paint.bold(name)} ${arch}${file === 'waybill' ? ', its waybill' : ''}`,
    `    because of    ${paint.bad(culpritText(culprit))}`,
    `    first in      ${paint.name(printable(place.where))}`,
    ...(place.a === '' && place.b === ''
      ? []
      : [`    here, there   ${side(place.a)} ${paint.dim('|')} ${side(place.b)}`]),
    `    likely        ${LIKELY[place.cause]}`,
  ].join('\n');
}

const MOST_LETTERS = 110;

function shortened(text: string): string {
  return text.length <= MOST_LETTERS ? text : `${text.slice(0, MOST_LETTERS)}…`;
}

/** Which part of the surroundings made them differ, as far as that was found out. */
export function culpritText(culprit: Culprit): string {
  switch (culprit.kind) {
    case 'variations':
      return listed(
        culprit.on.map(({ title }) => title),
        'together with',
      );
    case 'itself':
      return 'nothing: two builds in the same folder differ by themselves';
    case 'folder':
      return 'any other folder';
    case 'stale':
      return 'what was kept: the one in out/ is not what building anew gives, here or anywhere';
  }
}

const REASONS = {
  source: 'the sources or the sheet are not the same',
  tool: 'another version of the tool made it',
  toolchains: 'other compilers or runtimes made it',
  machine: 'same source, tool and compilers: something of the machine shows',
} as const;

/** Records side by side: for each artifact whether all machines made the same. */
export function recordsText(lines: readonly RecordsLine[], sides: readonly RecordSide[], paint: Paint): string {
  const machines = sides.map(({ shown, record }) => {
    const { arch, system, glibc, runtime } = record.machine;
    const library = glibc === null ? '' : `, C library ${glibc}`;
    const left = record.leftOut.length === 0 ? '' : paint.dim(`, without ${record.leftOut.join(', ')}`);
    const own = record.builds.some(({ differs }) => differs.length > 0) ? paint.bad(', differs there already') : '';
    return `  ${paint.name(printable(shown))}  ${printable(`${arch}, ${system}${library}, runtime ${runtime}`)}, ${count(record.builds.length, 'build')}${left}${own}`;
  });
  return [...machines, '', ...lines.map((line) => recordsLine(line, paint))].join('\n');
}

function recordsLine({ function: name, arch, digests, differs, because }: RecordsLine, paint: Paint): string {
  const there = digests.flatMap((one) => one ?? []);
  const head = `${paint.bold(printable(name))} ${printable(arch)}`;
  if (differs === undefined) {
    const short = there[0]?.slice(0, 12) ?? '';
    const alone = there.length === 1 ? paint.doubt('only once ') : paint.good('same bytes');
    const some =
      there.length > 1 && there.length < digests.length
        ? paint.dim(` in ${String(there.length)} of ${String(digests.length)}`)
        : '';
    return `  ${alone}  ${head}  ${paint.dim(`sha256 ${short}`)}${some}`;
  }
  const shown = digests.map((one) => one?.slice(0, 12) ?? '-').join(' | ');
  const what = differs === 'waybill' ? 'only the waybill; ' : `${shown}; `;
  return `  ${paint.bad('differs   ')}  ${head}  ${what}${because === undefined ? '' : REASONS[because]}`;
}
