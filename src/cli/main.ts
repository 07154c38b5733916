/** Reads the command line, runs one command, turns whatever goes wrong into one clear error and an exit code. */
import yargs, { type Argv } from 'yargs';
import { EmballageError, systemCode } from '../core/base/errors';
import { nearestWord, printable } from '../core/base/text';
import { EXIT, type Arguments, type CommandModule, type ExitCode } from './commands/command';
import { COMMANDS, type CommandEntry } from './commands/list';
import { programName, VERSION } from './program';
import { Session } from './session';
import { errorDocument, errorText } from './views/error';
import { makePaint } from './views/paint';

/** @param args the words after the program's name */
export async function main(args: readonly string[]): Promise<ExitCode> {
  const [name, ...rest] = args;
  try {
    if (name === '--version') {
      process.stdout.write(`${VERSION}\n`);
      return EXIT.done;
    }
    const entry = COMMANDS.find((command) => command.name === name);
    if (entry === undefined) throw unknownCommand(name ?? '');
    const { command } = await entry.load();
    return await runCommand(entry, command, rest);
  } catch (error) {
    return report(error, args);
  }
}

async function runCommand(entry: CommandEntry, command: CommandModule, words: readonly string[]): Promise<ExitCode> {
  const parser = makeParser(entry, command, words);
  const parsed = await parser.parseAsync();
  if (words.includes('--help') || words.includes('-h')) {
    process.stdout.write(`${await parser.getHelp()}\n`);
    return EXIT.done;
  }
  return command.run(parsed, makeSession(parsed));
}

function makeParser(entry: CommandEntry, command: CommandModule, words: readonly string[]): Argv {
  const program = programName();
  const base = yargs([...words])
    .scriptName(program)
    .usage(`$0 ${entry.usage}\n\n${command.about}`)
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
    .wrap(process.stdout.isTTY ? Math.min(110, process.stdout.columns) : 110)
    .option('sheet', {
      type: 'string',
      requiresArg: true,
      describe: 'the packing sheet; emballage.yaml in this folder otherwise',
    })
    .option('json', { type: 'boolean', default: false, describe: 'one JSON document on standard output' })
    .option('quiet', { type: 'boolean', default: false, describe: 'only results' })
    .option('verbose', { type: 'boolean', default: false, describe: 'more detail' })
    .option('color', { type: 'boolean', describe: 'colours; --no-color for none', defaultDescription: 'on a terminal' })
    .option('offline', { type: 'boolean', default: false, describe: 'use no network, only what was fetched' })
    .option('jobs', { type: 'number', requiresArg: true, describe: 'threads to use; one a core otherwise' })
    .option('help', { alias: 'h', type: 'boolean', describe: 'this text' })
    .strictOptions()
    .fail((message, error) => {
      // Without a message yargs passes on what was thrown.
      throw (message as string | null) === null ? error : usageError(entry, message);
    });
  for (const [args, does] of command.examples) base.example(`$0 ${entry.name} ${args}`.trimEnd(), does);
  return command.options(base);
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

function usageError(entry: CommandEntry, message: string): EmballageError {
  return new EmballageError('USAGE', {
    doing: 'reading the command line',
    expected: entry.usage,
    found: printable(oneLine(message)),
    mend: `run \`${programName()} ${entry.name} --help\``,
  });
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
  process.stderr.write(`${errorText(known, makePaint(color), args.includes('--verbose'))}\n`);
  if (!(known instanceof EmballageError)) return EXIT.fault;
  return known.kind === 'input' ? EXIT.wrongInput : EXIT.unavailable;
}

/** A full disk may show up anywhere; it is no fault of ours. */
function asKnown(error: unknown): unknown {
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
