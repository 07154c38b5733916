/** Help for programs: the commands, and what each takes. */
import type { CommandEntry, CommandModule } from '../commands/command';
import { COMMANDS } from '../commands/list';
import { COMMON, type OptionSpec, type Options } from '../options';
import { VERSION } from '../program';

/** The document of `--help --json`: all commands, and the options that all have. */
export function overviewDocument(): object {
  const commands = COMMANDS.map(({ name, usage, summary }) => ({ name, usage, summary }));
  return { version: VERSION, commands, options: optionsOf(COMMON) };
}

/** The document of `COMMAND --help --json`. */
export function commandDocument(
  { name, usage, summary }: CommandEntry,
  { about, options, examples }: CommandModule,
): object {
  return {
    name,
    usage,
    summary,
    about: about.replace(/\s+/g, ' '),
    options: optionsOf({ ...options, ...COMMON }),
    examples: examples.map(([args, does]) => ({ args, does })),
  };
}

function optionsOf(options: Options): object[] {
  return Object.entries(options).map(([name, option]) => ({ name, ...plain(option) }));
}

function plain({ type, choices, default: initial, describe, value }: OptionSpec): object {
  return {
    type: type ?? 'string',
    about: describe,
    ...(value !== undefined && { value }),
    ...(choices !== undefined && { choices }),
    ...(initial !== undefined && { default: initial }),
  };
}
