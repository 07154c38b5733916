/** What a command is: options, and a run that gives the exit code. */
import { EmballageError } from '../../core/base/errors';
import type { Options, Proposed } from '../options';
import type { Session } from '../session/session';

/** 0 done; 1 the answer is no; 2 the command or a file is wrong; 3 a tool or service failed; 4 a fault of ours. */
export const EXIT = { done: 0, no: 1, wrongInput: 2, unavailable: 3, fault: 4 } as const;

export type ExitCode = (typeof EXIT)[keyof typeof EXIT];

/** Arguments after parsing; each command knows its own. */
export type Arguments = Readonly<Record<string, unknown>>;

export interface CommandModule {
  /** Two examples: the arguments after the command's name, and what they do. */
  readonly examples: readonly (readonly [args: string, does: string])[];
  /** What it does, in a few sentences, for its help. */
  readonly about: string;
  /** Beside those that all commands have. */
  readonly options: Options;
  /** @param commands all that there are */
  run(args: Arguments, session: Session, commands: readonly CommandEntry[]): Promise<ExitCode>;
}

export interface CommandEntry {
  readonly name: string;
  readonly usage: string;
  readonly summary: string;
  /** What its words are, for completion. */
  readonly takes?: readonly (Proposed | { readonly words: readonly string[] })[];
  load(): Promise<{ readonly command: CommandModule }>;
}

/** A list of texts among the arguments; one text counts as a list of one. */
export function texts(args: Arguments, name: string): string[] {
  const value = args[name];
  if (value === undefined) return [];
  return (Array.isArray(value) ? (value as unknown[]) : [value]).map(String);
}

/** A whole number within bounds. @throws EmballageError USAGE */
export function wholeNumber(value: unknown, option: string, least: number, most: number): number {
  if (typeof value === 'number' && Number.isInteger(value) && value >= least && value <= most) return value;
  throw new EmballageError('USAGE', {
    doing: 'reading the command line',
    where: option,
    expected: `a whole number from ${String(least)} to ${String(most)}`,
    found: String(value),
    mend: 'correct it',
  });
}

/** The value of an option that takes a text; undefined where it was not given. */
export function text(args: Arguments, name: string): string | undefined {
  return texts(args, name)[0];
}
