/** The two streams that people read. What they show is plain where the locale wants it so; documents are never touched. */
import { inAscii, isAsciiOnly } from './views/plain-text';

/** The text as it can be shown here. */
export function shown(text: string): string {
  return isAsciiOnly(process.env) ? inAscii(text) : text;
}

/** Writes to standard output, as it can be shown here. */
export function writeOut(text: string): void {
  process.stdout.write(shown(text));
}

/** Writes to standard error, as it can be shown here. */
export function writeErr(text: string): void {
  process.stderr.write(shown(text));
}

/** Columns of the terminal, or as COLUMNS says; undefined where nobody does. */
export function columnsHere(): number | undefined {
  const stated = Number(process.env.COLUMNS);
  return process.stdout.isTTY ? process.stdout.columns : stated > 0 ? stated : undefined;
}
