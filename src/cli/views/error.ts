/** How an error reads: what was being done, where, what was expected, what was found, how to mend it. */
import { EmballageError, messageOf, type Problem } from '../../core/base/errors';
import type { Paint } from './paint';

const SHOWN_PROBLEMS = 50;

/** An error, for people. */
export function errorText(error: unknown, paint: Paint, verbose: boolean): string {
  const text = error instanceof EmballageError ? knownError(error, paint) : faultText(error, paint, verbose);
  // A person's own mistake has nothing to do with where in the program it is noticed.
  const isOwn = error instanceof EmballageError && error.kind === 'input';
  return verbose && error instanceof Error && !isOwn ? `${text}\n\n${paint.dim(error.stack ?? '')}` : text;
}

/** The same for `--json`. */
export function errorDocument(error: unknown): object {
  if (error instanceof EmballageError) return { error: { code: error.code, ...error.facts } };
  return { error: { code: 'FAULT', doing: 'running the command', found: messageOf(error), mend: 'please report it' } };
}

function knownError({ facts }: EmballageError, paint: Paint): string {
  const head = `${paint.bad('error')} while ${facts.doing}`;
  if (facts.problems !== undefined)
    return [`${head}: ${facts.found}`, ...listProblems(facts.problems, paint), `\n${facts.mend}`].join('\n');
  const rows = lines(paint, { where: facts.where, expected: facts.expected, found: facts.found, mend: facts.mend });
  const details = (facts.details ?? []).slice(0, SHOWN_PROBLEMS).map((detail) => `    - ${detail}`);
  return [head, ...rows, ...details].join('\n');
}

function listProblems(problems: readonly Problem[], paint: Paint): string[] {
  const shown = problems.slice(0, SHOWN_PROBLEMS).map(({ place, ...rest }) => {
    const at = `${place.file}:${String(place.line)}:${String(place.column)}`;
    return [`\n  ${paint.name(at)}`, ...lines(paint, rest)].join('\n');
  });
  return problems.length > SHOWN_PROBLEMS
    ? [...shown, `\n  and ${String(problems.length - SHOWN_PROBLEMS)} more`]
    : shown;
}

/** `expected`, `found` and `mend` under each other, as findings show them too. */
export function lines(paint: Paint, parts: Readonly<Record<string, string | undefined>>, indent = '    '): string[] {
  return Object.entries(parts).flatMap(([label, text]) =>
    text === undefined ? [] : [`${indent}${paint.dim(label.padEnd(9))} ${text}`],
  );
}

function faultText(error: unknown, paint: Paint, verbose: boolean): string {
  const mend = verbose ? 'please report it with what is below' : 'run it again with --verbose and report what it says';
  return [`${paint.bad('error')} of ours, not yours`, ...lines(paint, { found: messageOf(error), mend })].join('\n');
}
