/** `demo`: the full example on made-up data, every command as a person would type it. */
import { spawnSync } from 'node:child_process';
import { cpSync, existsSync, mkdtempSync, readdirSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, relative, resolve } from 'node:path';
import { EmballageError } from '../../core/base/errors';
import { shellWord, type Session } from '../session';
import { programName } from '../program';
import { EXIT, text, type CommandModule } from './command';

interface Step {
  readonly says: string;
  readonly args: readonly string[];
  readonly exit: number;
}

const STEPS: readonly Step[] = [
  {
    says: 'Fernhaven’s tide gauges send water levels. `surge-alert` decides whether to raise an alarm. Build it:',
    args: ['build'],
    exit: EXIT.done,
  },
  { says: 'Built again without a change, nothing is done:', args: ['build'], exit: EXIT.done },
  {
    says: 'Would its destination take it? Every limit, and every rule that could stop it:',
    args: ['check'],
    exit: EXIT.done,
  },
  {
    says: 'Call it from inside the unpacked artifact with the sheet’s events:',
    args: ['try', 'surge-alert'],
    exit: EXIT.done,
  },
  { says: 'Build it again in other surroundings and compare the bytes:', args: ['prove'], exit: EXIT.done },
  {
    says: 'What refusals look like. A sheet with mistakes is refused with all of them at once:',
    args: ['build', '--sheet', 'mistakes.yaml'],
    exit: EXIT.wrongInput,
  },
  {
    says: 'A function that builds but would not run at its destination:',
    args: ['build', '--sheet', 'broken.yaml', '--quiet'],
    exit: EXIT.done,
  },
  {
    says: 'Nothing of this would have been found out before the upload:',
    args: ['check', '--sheet', 'broken.yaml'],
    exit: EXIT.no,
  },
  { says: 'And one that never answers:', args: ['try', 'fog-horn', '--sheet', 'broken.yaml'], exit: EXIT.no },
];

export const command: CommandModule = {
  about:
    'Copies the example project into a folder and goes through it: build, check, try, prove, and what refusals look like.',
  examples: [
    ['', 'in a new folder below the temporary one'],
    ['--into ../tides', 'in a folder to keep'],
  ],
  options: (yargs) =>
    yargs.option('into', {
      type: 'string',
      requiresArg: true,
      describe: 'the folder to make the example in; it must be new or empty',
    }),
  run(args, session) {
    const folder = makeFolder(text(args, 'into'), session);
    cpSync(join(__dirname, '../../../demo/fernhaven-tides'), folder, { recursive: true });
    const unexpected = STEPS.filter((step, i) => !runStep(step, i, folder, session));
    session.document({ folder, steps: STEPS.length, unexpected: unexpected.map((step) => step.args.join(' ')) });
    if (unexpected.length > 0) {
      session.say(
        `\n${session.paint.bad('The demo did not go as it should')}: ${unexpected.map((step) => step.args.join(' ')).join('; ')}`,
      );
      return Promise.resolve(EXIT.fault);
    }
    const sheet = join(
      relative(session.cwd, folder).startsWith('..') ? folder : relative(session.cwd, folder),
      'emballage.yaml',
    );
    session.say(
      `\n${session.paint.bold('That was the demo.')} The project stays in ${session.paint.name(folder)}: change the alarm level and build again.`,
    );
    session.next(`try surge-alert --repeat 20 --sheet ${shellWord(sheet)}`, 'see its warm times');
    return Promise.resolve(EXIT.done);
  },
};

function makeFolder(into: string | undefined, session: Session): string {
  if (into === undefined) return mkdtempSync(join(tmpdir(), 'fernhaven-tides-'));
  const folder = resolve(session.cwd, into);
  if (!existsSync(folder) || readdirSync(folder).length === 0) return folder;
  throw new EmballageError('USAGE', {
    doing: 'making the example',
    where: into,
    expected: 'a folder that is new or empty',
    found: 'one with something in it',
    mend: 'name another',
  });
}

/** Whether the step ended as it should. */
function runStep(step: Step, index: number, folder: string, session: Session): boolean {
  const { paint } = session;
  const shown = `${programName()} ${step.args.join(' ')}`;
  session.say(
    `${index === 0 ? '' : '\n'}${paint.bold(`${String(index + 1)}. ${step.says}`)}\n   ${paint.dim('$')} ${paint.name(shown)}\n`,
  );
  const color = paint.bold('x') === 'x' ? ['--no-color'] : ['--color'];
  const { status } = spawnSync(process.execPath, [process.argv[1] ?? '', ...step.args, ...color], {
    cwd: folder,
    stdio: ['ignore', session.json ? 'ignore' : 'inherit', session.json ? 'ignore' : 'inherit'],
  });
  return status === step.exit;
}
