/** How a survey reads: what is proposed, what drifted, what was passed over. */
import { count, printable } from '../../core/base/text';
import type { Drift, Proposal } from '../../core/pipeline/survey';
import type { Session } from '../session/session';
import { lines } from './error';
import type { Paint } from './paint';
import { table } from './table';

const SHOWN_NOTES = 12;

/** The texts themselves; once they are written, the functions in a table and what is left to do. */
export function proposalText(
  { texts, functions }: Proposal,
  isWritten: boolean,
  shown: (path: string) => string,
  paint: Paint,
): string {
  if (!isWritten)
    return texts.map(({ path, text }) => `${paint.bold(shown(path))}\n${indented(text, paint)}`).join('\n\n');
  const rows = functions.map(({ name, runtime, entries: [best], lacking }) => [
    paint.bold(name),
    runtime.value,
    paint.name(best.entry),
    lacking.length > 0 ? paint.doubt(`to do: ${lacking.join('; ')}`) : paint.dim(best.why),
  ]);
  return `${table(rows)}\n\n${paint.good('wrote')} ${texts.map(({ path }) => paint.name(shown(path))).join(' and ')}`;
}

function indented(text: string, paint: Paint): string {
  return text
    .trimEnd()
    .split('\n')
    .map((line) => {
      const at = /^\s*#|\s\s#/.exec(line);
      const dimmed = at === null ? line : line.slice(0, at.index) + paint.dim(line.slice(at.index));
      return line === '' ? '' : `  ${dimmed}`;
    })
    .join('\n');
}

/** What of a sheet no longer fits: first what was mended in place, then what has to be done by hand. */
export function driftText(
  { made, left }: { readonly made: readonly Drift[]; readonly left: readonly Drift[] },
  paint: Paint,
): string {
  return [...made.map((one) => oneDrift(one, true, paint)), ...left.map((one) => oneDrift(one, false, paint))].join(
    '\n\n',
  );
}

function oneDrift(drift: Drift, isMade: boolean, paint: Paint): string {
  const { level, name, expected, found, mend } = drift;
  const word = isMade
    ? paint.good('made')
    : level === 'stop'
      ? paint.bad('stop')
      : level === 'warn'
        ? paint.doubt('warn')
        : paint.name('note');
  const where = drift.where === undefined ? '' : `  ${paint.name(drift.where)}`;
  return [
    `  ${word}  ${paint.bold(name)} ${drift.drift}${where}`,
    ...lines(paint, { expected, found, mend: isMade ? undefined : mend }, '        '),
  ].join('\n');
}

/** What was looked through, and what was passed over on the way. */
export function surveySummary(
  { folders, files, notes }: Pick<Proposal, 'folders' | 'files' | 'notes'>,
  outcome: string,
  { paint, verbose }: Session,
): string {
  const chosen = verbose ? notes : notes.slice(0, SHOWN_NOTES);
  const rows = chosen.map(({ where, text }) => [
    `  ${paint.name(printable(where === '' ? '.' : where))}`,
    paint.dim(printable(text)),
  ]);
  const more = notes.length - chosen.length;
  const result =
    notes.length === 0
      ? ''
      : `${paint.doubt('not taken for functions')}\n${table(rows)}${more > 0 ? `\n  ${paint.dim(`and ${String(more)} more; --verbose has them all`)}` : ''}\n\n`;
  return `\n${result}${paint.dim(`${count(files, 'file')} in ${count(folders, 'folder')}:`)} ${outcome}`;
}
