/** What may stand in the place of the last word of a command line. */
import type { CommandEntry } from '../commands/command';
import { COMMON, type OptionSpec, type Options, type Proposed } from '../options';
import type { Session } from '../session/session';

export interface Proposal {
  readonly word: string;
  readonly about: string;
}

/** Stands for what the shell itself knows best. */
const FILES: Proposal = { word: ':files', about: '' };

/** @param words after the program's name; the last is the one to be completed, and may be empty */
export async function propose(
  words: readonly string[],
  session: Session,
  commands: readonly CommandEntry[],
): Promise<Proposal[]> {
  const current = words.at(-1) ?? '';
  const before = words.slice(0, -1);
  const [name] = before;
  if (name === undefined)
    return starting(
      commands.map(({ name: word, summary }) => ({ word, about: summary })),
      current,
    );
  const entry = commands.find((one) => one.name === name);
  if (entry === undefined) return [];
  const { command } = await entry.load();
  const options: Options = { ...command.options, ...COMMON };
  const asked = optionBefore(options, before);
  if (asked !== undefined) return starting(await valuesOf(asked, session), current);
  if (current.startsWith('-')) return starting(namesOf(options, before), current);
  return starting(await wordsFor(entry, before, session), current);
}

function starting(proposals: readonly Proposal[], current: string): Proposal[] {
  return proposals.filter(({ word }) => word.startsWith(':') || word.startsWith(current));
}

/** The option whose value comes next. */
function optionBefore(options: Options, before: readonly string[]): OptionSpec | undefined {
  const [, name] = /^--([\w-]+)$/.exec(before.at(-1) ?? '') ?? [];
  const option = name === undefined ? undefined : options[name];
  return option?.type === 'boolean' || option?.requiresArg !== true ? undefined : option;
}

function namesOf(options: Options, before: readonly string[]): Proposal[] {
  return Object.entries(options)
    .filter(([name]) => !before.includes(`--${name}`))
    .map(([name, { describe }]) => ({ word: name === 'color' ? '--no-color' : `--${name}`, about: describe }));
}

async function valuesOf({ choices, proposes }: OptionSpec, session: Session): Promise<Proposal[]> {
  if (choices !== undefined) return choices.map((word) => ({ word, about: '' }));
  return proposes === undefined ? [] : proposalsOf(proposes, session);
}

async function wordsFor(
  { takes = [] }: CommandEntry,
  before: readonly string[],
  session: Session,
): Promise<Proposal[]> {
  // Names that stand there already are not proposed again.
  const found = await Promise.all(
    takes.map(async (one) =>
      typeof one === 'string' ? proposalsOf(one, session) : one.words.map((word) => ({ word, about: '' })),
    ),
  );
  return found.flat().filter(({ word }) => !before.includes(word));
}

async function proposalsOf(what: Proposed, session: Session): Promise<Proposal[]> {
  if (what === 'files' || what === 'folders') return [FILES];
  if (what === 'rules') {
    const { rulesFor } = await import('../../core/pipeline/check');
    return (await rulesFor({})).map(({ id, title }) => ({ word: id, about: title }));
  }
  try {
    const { sheet } = await session.openProject();
    return what === 'functions'
      ? sheet.functions.map(({ name, runtime, form }) => ({ word: name, about: `${runtime.text}, ${form.id}` }))
      : Object.values(sheet.destinations).map(({ name, file }) => ({ word: name, about: file }));
  } catch {
    // No sheet here, or one with mistakes: other commands tell.
    return [];
  }
}
