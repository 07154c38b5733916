/** Reads the command line, runs one command, turns whatever goes wrong into one clear error and an exit code. */
import yargs, { type Argv } from 'yargs';
import { EmballageError, systemCode } from '../core/base/errors';
import { nearestWord, printable } from '../core/base/text';
import { EXIT, type Arguments, type CommandEntry, type CommandModule, type ExitCode } from './commands/command';
import { COMMANDS } from './commands/list';
import { COMMON } from './options';
import { OVERVIEW_WORDS, overview } from './overview';
import { columnsHere, writeErr, writeOut } from './output';
import { programName } from './program';
import { Session } from './session/session';
import { errorDocument, errorText } from './views/error';
import { makePaint } from './views/paint';

/** @param args the words after the program's name */
export async function main(args: readonly string[]): Promise<ExitCode> {
  const [name, ...rest] = commandFirst(args);
  try {
    if (args.includes('--version')) return await showVersion(args);
    const isHelp = name?.startsWith('-') === true && args.some((one) => OVERVIEW_WORDS.includes(one));
    if (name === undefined || isHelp || OVERVIEW_WORDS.includes(name)) return await showOverview(args);
    const entry = COMMANDS.find((command) => command.name === name);
    if (entry === undefined) throw unknownCommand(name);
    const { command } = await entry.load();
    return await runCommand(entry, command, rest);
  } catch (error) {
    return report(error, args);
  }
}

/** Options that all commands have may stand before the command too. */
function commandFirst(args: readonly string[]): readonly string[] {
  let at = 0;
  while (args[at]?.startsWith('-') === true) {
    const [, written = '', value] = /^--?(?:no-)?([^=]*)(=.*)?$/.exec(args[at] ?? '') ?? [];
    const known = COMMON[written];
    if (known === undefined || written === 'help') return args;
    at += known.type === 'boolean' || value !== undefined ? 1 : 2;
  }
  const name = args[at];
  return name === undefined ? args : [name, ...args.slice(0, at), ...args.slice(at + 1)];
}

async function showVersion(args: readonly string[]): Promise<ExitCode> {
  const { versionDocument, versionText } = await import('./views/version');
  process.stdout.write(args.includes('--json') ? asJson(versionDocument()) : `${versionText()}\n`);
  return EXIT.done;
}

async function showOverview(args: readonly string[]): Promise<ExitCode> {
  if (!args.includes('--json')) writeOut(overview(programName(), columnsHere()));
  else process.stdout.write(asJson((await import('./views/help-document')).overviewDocument()));
  return EXIT.done;
}

function asJson(value: object): string {
  return `${JSON.stringify(value, null, 2)}\n`;
}

async function runCommand(entry: CommandEntry, command: CommandModule, words: readonly string[]): Promise<ExitCode> {
  if (words.includes('--help') || words.includes('-h')) return showHelp(entry, command, words);
  const parsed = await makeParser(entry, command, words).parseAsync();
  return command.run(parsed, makeSession(parsed), COMMANDS);
}

async function showHelp(entry: CommandEntry, command: CommandModule, words: readonly string[]): Promise<ExitCode> {
  if (words.includes('--json')) {
    const { commandDocument } = await import('./views/help-document');
    process.stdout.write(asJson(commandDocument(entry, command)));
    return EXIT.done;
  }
  const { helpText, textWidth } = await import('./views/help');
  const { name, usage } = entry;
  const { about, options, examples } = command;
  const shown = helpText(
    { program: programName(), name, usage, about, options, common: COMMON, examples },
    textWidth(columnsHere()),
  );
  writeOut(`${shown}\n`);
  return EXIT.done;
}

function makeParser(entry: CommandEntry, command: CommandModule, words: readonly string[]): Argv {
  return yargs([...words])
    .locale('en')
    .help(false)
    .version(false)
    .exitProcess(false)
    .parserConfiguration({
      'duplicate-arguments-array': true,
      'camel-case-expansion': false,
      'dot-notation': false,
      'parse-positional-numbers': false,
    })
    .options({ ...command.options, ...COMMON })
    .strictOptions()
    .fail((message, error) => {
      // Without a message yargs passes on what was thrown.
      throw (message as string | null) === null ? error : usageError(entry, command, message);
    });
}

function makeSession(args: Arguments): Session {
  const jobs = args.jobs;
  if (jobs !== undefined && !(Number.isInteger(jobs) && Number(jobs) > 0 && Number(jobs) <= 256))
    throw new EmballageError('USAGE', {
      doing: 'reading the command line',
      where: '--jobs',
      expected: 'a whole number from 1 to 256',
      found: `\`${printable(String(jobs))}\``,
      mend: 'correct it or leave it out',
    });
  for (const name of ['sheet', 'jobs'])
    if (Array.isArray(args[name]))
      throw new EmballageError('USAGE', {
        doing: 'reading the command line',
        where: `--${name}`,
        expected: 'the option once',
        found: 'it several times',
        mend: 'take one of them out',
      });
  const sheet = args.sheet;
  return new Session({
    json: args.json === true,
    quiet: args.quiet === true,
    verbose: args.verbose === true,
    offline: args.offline === true,
    color: typeof args.color === 'boolean' ? args.color : wantsColor(),
    ...(typeof sheet === 'string' && { sheet }),
    ...(typeof jobs === 'number' && { jobs }),
  });
}

/** Colours on a terminal, unless NO_COLOR is set or the terminal is dumb. */
function wantsColor(): boolean {
  return process.stdout.isTTY && (process.env.NO_COLOR ?? '') === '' && process.env.TERM !== 'dumb';
}

function unknownCommand(name: string): EmballageError {
  const names = COMMANDS.map((command) => command.name);
  const near = nearestWord(name, names);
  return new EmballageError('USAGE', {
    doing: 'reading the command line',
    expected: `a command: ${names.join(', ')}`,
    found: `\`${printable(name)}\``,
    mend: near === undefined ? `run \`${programName()} --help\`` : `did you mean \`${programName()} ${near}\`?`,
  });
}

function usageError(entry: CommandEntry, command: CommandModule, message: string): EmballageError {
  const [, unknown] = /^Unknown arguments?: ([^,]+)/.exec(message) ?? [];
  const near = unknown === undefined ? undefined : nearestWord(unknown, Object.keys({ ...command.options, ...COMMON }));
  return new EmballageError('USAGE', {
    doing: 'reading the command line',
    expected: entry.usage,
    found:
      unknown === undefined ? printable(oneLine(message)) : `the option \`${dashed(unknown)}\`, which it does not have`,
    mend: near === undefined ? `run \`${programName()} ${entry.name} --help\`` : `did you mean \`${dashed(near)}\`?`,
  });
}

function dashed(name: string): string {
  return `${name.length === 1 ? '-' : '--'}${printable(name)}`;
}

/** What yargs says of wrong values comes in several lines. */
function oneLine(message: string): string {
  const values = /Argument: (\S+), Given: (.+), Choices: (.+)/.exec(message);
  if (values !== null) return `--${values[1] ?? ''} ${values[2] ?? ''}, which is none of ${values[3] ?? ''}`;
  return (message.charAt(0).toLowerCase() + message.slice(1)).replace(/\s+/g, ' ');
}

function report(error: unknown, args: readonly string[]): ExitCode {
  const known = asKnown(error);
  if (args.includes('--json')) process.stdout.write(`${JSON.stringify(errorDocument(known), null, 2)}\n`);
  const color = process.stderr.isTTY && !args.includes('--no-color') && (process.env.NO_COLOR ?? '') === '';
  writeErr(`${errorText(known, makePaint(color), args.includes('--verbose'))}\n`);
  if (!(known instanceof EmballageError)) return EXIT.fault;
  return known.kind === 'input' ? EXIT.wrongInput : EXIT.unavailable;
}

/** A full disk, and input without a bottom, may show up anywhere; they are no fault of ours. */
function asKnown(error: unknown): unknown {
  if (error instanceof RangeError && error.message.startsWith('Maximum call stack'))
    return new EmballageError(
      'NESTED_TOO_DEEPLY',
      {
        doing: 'reading what the command was given',
        expected: 'code and documents whose parts are nested some hundred levels deep at most',
        found: 'more levels than there is memory for them',
        mend: 'find out what made the file, with --verbose',
      },
      error,
    );
  if (systemCode(error) !== 'ENOSPC') return error;
  return new EmballageError(
    'DISK_FULL',
    {
      doing: 'writing',
      expected: 'room on the disk',
      found: 'none left',
      mend: 'make room, then run the command again',
    },
    error,
  );
}
