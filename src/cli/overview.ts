/** What the program is, its commands in the order of work, and one example. */
import { COMMANDS } from './commands/list';
import { wrap } from './views/help';

const ABOUT =
  'Emballage makes deployment artifacts from the source of event-driven functions: byte for byte the same on every machine, and checked before anyone uploads them.';

/** Commands that are no step of the work. */
const LOOK_UPS: readonly string[] = ['rules', 'toolchains', 'stand-in', 'completion', 'demo'];

export const OVERVIEW_WORDS: readonly string[] = ['help', '--help', '-h'];

/** @param columns to write in */
export function overview(program: string, columns = 100): string {
  const width = Math.max(...COMMANDS.map((command) => command.usage.length)) + 3;
  const isNarrow = columns < width + 70;
  const row = (usage: string, summary: string): string =>
    isNarrow ? `  ${usage}\n${wrap(summary, columns, '      ')}\n` : `  ${usage.padEnd(width)}${summary}\n`;
  const group = (title: string, belongs: (name: string) => boolean): string =>
    `${title}\n${COMMANDS.filter((c) => belongs(c.name))
      .map((c) => row(c.usage, c.summary))
      .join('')}\n`;
  return [
    `${wrap(ABOUT, Math.min(columns, 80))}\n\n`,
    group('In the order of work:', (name) => !LOOK_UPS.includes(name)),
    group('To look things up:', (name) => LOOK_UPS.includes(name)),
    'Options everywhere:\n',
    row('--sheet FILE', 'the packing sheet; the nearest emballage.yaml, from here upwards, otherwise'),
    row('--json', 'one JSON document on standard output, nothing else'),
    row('--quiet, --verbose', 'less, or more, to read'),
    row('--no-color, --jobs N', 'plain text; threads to use'),
    row('--offline', 'use no network, only what was fetched before'),
    `\n${wrap('Example: build what the sheet lists, check it, and call one function with an event', columns)}\n`,
    `  ${program} build && ${program} check && ${program} try surge-alert\n\n`,
    `${wrap(`${program} COMMAND --help says more about each. New here? ${program} demo`, columns)}\n`,
  ].join('');
}
