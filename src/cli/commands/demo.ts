/** `demo`: the full example on made-up data, every command as a person would type it. */
import { spawn } from 'node:child_process';
import { createHash, generateKeyPairSync } from 'node:crypto';
import {
  copyFileSync,
  cpSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readFileSync,
  readdirSync,
  rmSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join, relative, resolve } from 'node:path';
import { EmballageError } from '../../core/base/errors';
import { serveExample } from '../demo-services';
import { shellWord, type Session } from '../session/session';
import { programName } from '../program';
import { workOf } from '../../core/languages';
import { SHEET_NAME } from '../../core/project/open-project';
import { findEmulators, missingEmulators } from '../../core/toolchains/emulator';
import { programsNamed } from '../../core/toolchains/programs';
import { endsWithUs } from '../../core/toolchains/run-program';
import { whyNoRoot } from '../../standins/host';
import { EXIT, text, type CommandModule, type ExitCode } from './command';

/** One step, as demo/steps.json has it. */
interface Step {
  readonly says: string;
  readonly args: readonly string[];
  readonly exit: number;
  /** Made-up secrets, as a person would set them before the command. */
  readonly env?: Readonly<Record<string, string>>;
  /** What a person does before it: keeps a file under another name, changes a text in one. */
  readonly keep?: readonly [path: string, as: string];
  readonly edit?: readonly [path: string, from: string, to: string];
  readonly also?: readonly [path: string, from: string, to: string];
  /** The same: makes a key pair, the private key and the public one. */
  readonly key?: readonly [path: string, publicPath: string];
  /**
   * Without what it is left out: the runtimes and compilers of the functions that it is about, emulators, a root folder
   * of its own.
   */
  readonly needs?: readonly ('toolchains' | 'emulators' | 'root')[];
}

export const command: CommandModule = {
  about:
    'Copies the example project into a folder, serves its packages on this machine, and goes through it: lock, build,\n' +
    'check, try, prove, what refusals look like, what takes the room, and what a change has changed.',
  examples: [
    ['', 'in a new folder below the temporary one'],
    ['--into ../tides', 'in a folder to keep'],
  ],
  options: {
    into: {
      value: 'FOLDER',
      proposes: 'folders',
      type: 'string',
      requiresArg: true,
      describe: 'the folder to make the example in; it must be new or empty',
    },
  },
  async run(args, session) {
    const folder = makeFolder(text(args, 'into'), session);
    const services = await serveExample(EXAMPLES);
    try {
      makeExample(folder, (made) => services.pointAt(made));
      const steps = await possibleSteps(folder, session);
      const unexpected: Step[] = [];
      for (const [i, step] of steps.entries()) if (!(await runStep(step, i, folder, session))) unexpected.push(step);
      session.document({ folder, steps: steps.length, unexpected: unexpected.map((step) => step.args.join(' ')) });
      return conclude(unexpected, folder, session);
    } finally {
      services.close();
    }
  },
};

const EXAMPLES = join(__dirname, '../../../demo');
/** The steps that this machine can do; what is left out is said, and how to have it. */
async function possibleSteps(folder: string, session: Session): Promise<Step[]> {
  const machine = session.machine();
  const [unshare] = programsNamed(/^unshare$/, machine.searchPath);
  const noRoot = unshare === undefined ? 'no `unshare`' : whyNoRoot(unshare);
  const emulators = missingEmulators(findEmulators(machine.searchPath), machine.arch);
  const possible: Step[] = [];
  // What was not built cannot be checked, sent or called.
  const unbuilt = new Map<string, readonly string[]>();
  for (const step of JSON.parse(readFileSync(join(EXAMPLES, 'steps.json'), 'utf8')) as readonly Step[]) {
    const sheet = sheetOf(step);
    const lacks = [
      ...(unbuilt.get(sheet) ?? []),
      ...(step.needs?.includes('root') === true && noRoot !== undefined
        ? [`run it where namespaces are allowed (${noRoot})`]
        : []),
      ...(step.needs?.includes('toolchains') === true ? await missingToolchains(step, folder, session) : []),
      ...(step.needs?.includes('emulators') === true ? emulators.map(({ what, mend }) => `${mend} (${what})`) : []),
    ];
    if (lacks.length > 0 && step.args[0] === 'build') unbuilt.set(sheet, lacks);
    if (lacks.length === 0) possible.push(step);
    else session.remark(`left out: ${step.args.join(' ')}; to have it, ${[...new Set(lacks)].join('; ')}`);
  }
  return possible;
}

function sheetOf({ args }: Step): string {
  return args.includes('--sheet') ? (args[args.indexOf('--sheet') + 1] ?? SHEET_NAME) : SHEET_NAME;
}

/** What the functions of a step want and is not here, and how to get it. */
async function missingToolchains(step: Step, folder: string, session: Session): Promise<string[]> {
  const { args } = step;
  const sheet = sheetOf(step);
  const { sheet: read } = await session.openProject(join(folder, sheet));
  const named = read.functions.filter(({ name }) => args.includes(name));
  const machine = session.machine();
  const missing = (named.length > 0 ? named : read.functions).map(async (spec): Promise<string[]> => {
    const { run } = await workOf(spec);
    const { found, mend } = await run.lookUp(machine, spec);
    if (found && mend === '') return [];
    const { missing: advice = [] } = await run.found(machine);
    return advice.length === 0 ? [mend] : advice.map((one) => `${one.mend} (${one.what})`);
  });
  return (await Promise.all(missing)).flat();
}

function conclude(unexpected: readonly Step[], folder: string, session: Session): ExitCode {
  if (unexpected.length > 0) {
    session.say(
      `\n${session.paint.bad('The demo did not go as it should')}: ${unexpected.map((step) => step.args.join(' ')).join('; ')}`,
    );
    return EXIT.fault;
  }
  const near = relative(session.cwd, folder);
  const sheet = join(near.startsWith('..') ? folder : near, 'emballage.yaml');
  session.say(
    `\n${session.paint.bold('That was the demo.')} The project stays in ${session.paint.name(folder)}: change the alarm level and build again.`,
  );
  session.next(`try surge-alert --repeat 20 --sheet ${shellWord(sheet)}`, 'see its warm times');
  return EXIT.done;
}

/** Whole or not at all. */
function makeExample(folder: string, finish: (folder: string) => void): void {
  try {
    cpSync(join(EXAMPLES, 'fernhaven-tides'), folder, { recursive: true });
    finish(folder);
  } catch (error) {
    rmSync(folder, { recursive: true, force: true });
    throw error;
  }
}

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

function editFile(path: string, from: string, to: string): void {
  const before = readFileSync(path, 'utf8');
  writeFileSync(
    path,
    before.replace(withKey(from), () => withKey(to)),
  );
}

/** A key that opens nothing. It stands in no file of the example, so that none looks as if it had one. */
function withKey(text: string): string {
  const key = createHash('sha256').update('a made-up key').digest('base64').replace(/[+/=]/g, '7');
  return text.replaceAll('{made-up key}', key);
}

function makeKey(path: string, publicPath: string): void {
  const { privateKey, publicKey } = generateKeyPairSync('ed25519');
  mkdirSync(dirname(publicPath), { recursive: true });
  writeFileSync(path, privateKey.export({ type: 'pkcs8', format: 'pem' }), { mode: 0o600 });
  writeFileSync(publicPath, publicKey.export({ type: 'spki', format: 'pem' }));
}

/** Whether the step ended as it should. */
async function runStep(step: Step, index: number, folder: string, session: Session): Promise<boolean> {
  const { paint } = session;
  const secrets = Object.keys(step.env ?? {}).map((name) => `${name}=… `);
  const shown = `${secrets.join('')}${programName()} ${step.args.join(' ')}`;
  session.say(
    `${index === 0 ? '' : '\n'}${paint.bold(`${String(index + 1)}. ${step.says}`)}\n   ${paint.dim('$')} ${paint.name(shown)}\n`,
  );
  if (step.keep !== undefined) copyFileSync(join(folder, step.keep[0]), join(folder, step.keep[1]));
  if (step.key !== undefined) makeKey(join(folder, step.key[0]), join(folder, step.key[1]));
  for (const [path, from, to] of [step.edit, step.also].filter((one) => one !== undefined))
    editFile(join(folder, path), from, to);
  const color = paint.bold('x') === 'x' ? ['--no-color'] : ['--color'];
  const child = spawn(process.execPath, [process.argv[1] ?? '', ...step.args, ...color], {
    cwd: folder,
    detached: true,
    env: { ...process.env, ...step.env },
    stdio: ['ignore', session.json ? 'ignore' : 'inherit', session.json ? 'ignore' : 'inherit'],
  });
  endsWithUs(child);
  const status = await new Promise<number | null>((done, reject) => child.once('error', reject).once('close', done));
  return status === step.exit;
}
