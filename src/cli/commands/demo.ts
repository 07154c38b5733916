/** `demo`: the full example on made-up data, every command as a person would type it. */
import { spawn, spawnSync } from 'node:child_process';
import { cpSync, existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, relative, resolve } from 'node:path';
import { EmballageError } from '../../core/base/errors';
import { shellWord, type Session } from '../session';
import { programName } from '../program';
import { chooseCompiler } from '../../core/languages/jvm/run/machines';
import { findEmulators } from '../../core/toolchains/emulator';
import { programsNamed } from '../../core/toolchains/programs';
import { choosePython } from '../../core/languages/python/run/interpreters';
import { whyNoRoot } from '../../standins/host';
import { ownArch } from '../native-run';
import { missingNatives } from '../views/native-toolchains';
import { EXIT, text, type CommandModule, type ExitCode } from './command';
import { pythonMend } from './toolchains';

interface Step {
  readonly says: string;
  readonly args: readonly string[];
  readonly exit: number;
  /** The version of Python without which it is left out. */
  readonly python?: string;
  /** The version of Java whose compiler it needs. */
  readonly java?: number;
  /** It compiles Rust, Go and C for both processors, and runs what comes out. */
  readonly native?: true;
  /** It runs an image in a root folder of its own. */
  readonly image?: true;
}

const STEPS: readonly Step[] = [
  {
    says: 'Fernhaven’s tide gauges send water levels. `surge-alert`, in TypeScript, and `gauge-intake`, in Python, need packages. Settle them for both processors:',
    args: ['lock'],
    exit: EXIT.done,
  },
  {
    says: 'Build them, and `gauge-page`, a web page that is linked into one file. Only what is reached is packed:',
    args: ['build'],
    exit: EXIT.done,
  },
  { says: 'Built again without a change, nothing is done:', args: ['build'], exit: EXIT.done },
  {
    says: 'Would their destination take them? Every limit, and every rule that could stop them:',
    args: ['check'],
    exit: EXIT.done,
  },
  {
    says: 'Call one from inside its unpacked artifact with the sheet’s events:',
    args: ['try', 'surge-alert'],
    exit: EXIT.done,
  },
  {
    says: 'The web page takes requests as events:',
    args: ['try', 'gauge-page'],
    exit: EXIT.done,
  },
  {
    says: 'And the one in Python, noting which modules the calls load:',
    args: ['try', 'gauge-intake', '--record'],
    exit: EXIT.done,
    python: '3.11',
  },
  {
    says: 'Why is a file there? The chain from the entry to it:',
    args: ['why', 'surge-alert', '**/surges.json'],
    exit: EXIT.done,
  },
  {
    says: 'One function packed in four ways: the whole folder, what is reached, linked into one file, and that as small as can be:',
    args: ['lock', '--sheet', 'sizes.yaml', '--quiet'],
    exit: EXIT.done,
  },
  { says: 'Side by side:', args: ['build', '--sheet', 'sizes.yaml'], exit: EXIT.done },
  {
    says: '`berth-planner` is for the JVM. Its dependencies stand in a repository in the Maven layout; two of them want different versions of a third:',
    args: ['lock', '--sheet', 'berths.yaml'],
    exit: EXIT.done,
    java: 17,
  },
  {
    says: 'Compiled and shaded into one JAR. One of the two versions moves to another package, and what nobody reaches stays out:',
    args: ['build', '--sheet', 'berths.yaml'],
    exit: EXIT.done,
    java: 17,
  },
  { says: 'Held against its destination:', args: ['check', '--sheet', 'berths.yaml'], exit: EXIT.done, java: 17 },
  {
    says: 'And called; both versions answer, side by side:',
    args: ['try', 'berth-planner', '--sheet', 'berths.yaml'],
    exit: EXIT.done,
    java: 17,
  },
  {
    says: '`tide-solver` is native code, once in Rust, once in Go, once in C. Compiled for both processors and stripped:',
    args: ['build', '--sheet', 'solver.yaml'],
    exit: EXIT.done,
    native: true,
  },
  {
    says: 'Would they start there? The processor, the loader, the C library and every other library that they need:',
    args: ['check', 'tide-solver', 'tide-solver-go', '--sheet', 'solver.yaml'],
    exit: EXIT.done,
    native: true,
  },
  {
    says: 'The one for the other processor is called here too, under an emulator:',
    args: ['try', 'tide-solver', '--arch', 'arm64', '--sheet', 'solver.yaml'],
    exit: EXIT.done,
    native: true,
  },
  {
    says: '`chart-render` is delivered as a container image, for both processors. No engine is needed to make it:',
    args: ['build', '--sheet', 'chart.yaml'],
    exit: EXIT.done,
    native: true,
  },
  {
    says: 'What it starts, who it runs as, what is in its layers:',
    args: ['check', '--sheet', 'chart.yaml'],
    exit: EXIT.done,
    native: true,
  },
  {
    says: 'Sent to a registry, all processors under one index:',
    args: ['send', '--sheet', 'chart.yaml'],
    exit: EXIT.done,
    native: true,
  },
  {
    says: 'Fetched again by its digest into an empty folder, and called from there, in a root of its own:',
    args: ['try', 'chart-render', '--sent', '--into', 'fetched', '--arch', 'arm64', '--sheet', 'chart.yaml'],
    exit: EXIT.done,
    native: true,
    image: true,
  },
  {
    says: 'And taken back, so that nothing is left there to cost money:',
    args: ['recall', 'chart-render', '--sheet', 'chart.yaml'],
    exit: EXIT.done,
    native: true,
  },
  { says: 'Build them again in other surroundings and compare the bytes:', args: ['prove'], exit: EXIT.done },
  {
    says: 'What refusals look like. A sheet with mistakes is refused with all of them at once:',
    args: ['build', '--sheet', 'mistakes.yaml'],
    exit: EXIT.wrongInput,
  },
  {
    says: 'Functions that build but would not run at their destination:',
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
    'Copies the example project into a folder, serves its packages on this machine, and goes through it: lock, build,\n' +
    'check, try, prove, and what refusals look like.',
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
  async run(args, session) {
    const folder = makeFolder(text(args, 'into'), session);
    cpSync(join(EXAMPLES, 'fernhaven-tides'), folder, { recursive: true });
    const index = await serveExample(['index', join(EXAMPLES, 'fernhaven-packages')], / at (http:\S+)\n/);
    const images = mkdtempSync(join(tmpdir(), 'fernhaven-moorings-'));
    const registry = await serveExample(['registry', images], / at (\S+:\d+)\n/);
    try {
      pointAt(index.url, registry.url, folder);
      const steps = await possibleSteps(session);
      const unexpected = steps.filter((step, i) => !runStep(step, i, folder, session));
      session.document({ folder, steps: steps.length, unexpected: unexpected.map((step) => step.args.join(' ')) });
      return conclude(unexpected, folder, session);
    } finally {
      index.close();
      registry.close();
      rmSync(images, { recursive: true, force: true });
    }
  },
};

const EXAMPLES = join(__dirname, '../../../demo');
/** Where the example's files say that its packages are. */
const INDEX_IN_FILES = 'http://127.0.0.1:8427/';
const FILES_WITH_INDEX = ['emballage.yaml', 'berths.yaml', '.npmrc'];
/** Where the destination of images says that its registry is. */
const REGISTRY_IN_FILES = '127.0.0.1:8430';

/** The steps that this machine can do; what is left out is said, and how to have it. */
async function possibleSteps(session: Session): Promise<Step[]> {
  const [pythons, javas, natives] = await Promise.all([session.pythons(), session.javas(), session.natives()]);
  const open = missingNatives(natives, findEmulators(process.env.PATH ?? ''), ownArch());
  const unshare = programsNamed(/^unshare$/, process.env.PATH ?? '')[0];
  const noRoot = unshare === undefined ? 'no `unshare`' : whyNoRoot(unshare);
  const lacksFor = ({ python, java, native, image }: Step): string | undefined => {
    if (image === true && noRoot !== undefined) return `run it where namespaces are allowed (${noRoot})`;
    if (python !== undefined && choosePython(pythons, python) === undefined) return pythonMend(python);
    if (java !== undefined && chooseCompiler(javas, java) === undefined)
      return `install a JDK ${String(java)}, such as Debian’s openjdk-${String(java)}-jdk-headless`;
    return native === true && open.length > 0 ? open.map(([what, mend]) => `${mend} (${what})`).join('; ') : undefined;
  };
  return STEPS.filter((step) => {
    const lacks = lacksFor(step);
    if (lacks !== undefined) session.remark(`left out: ${step.args.join(' ')}; to have it, ${lacks}`);
    return lacks === undefined;
  });
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

/**
 * Runs a stand-in in a process of its own, since the steps block this one.
 * @param pattern whose first group is where it says that it is
 */
function serveExample(what: readonly string[], pattern: RegExp): Promise<{ readonly url: string; close(): void }> {
  const args = [process.argv[1] ?? '', 'stand-in', ...what, '--port', '0', '--no-color'];
  const child = spawn(process.execPath, args, { stdio: ['ignore', 'pipe', 'inherit'] });
  return new Promise((resolve, reject) => {
    let said = '';
    child.stdout.on('data', (bytes: Buffer) => {
      said += bytes.toString('utf8');
      const [, url] = pattern.exec(said) ?? [];
      if (url !== undefined) resolve({ url, close: () => child.kill() });
    });
    child.once('error', reject);
    child.once('exit', () =>
      reject(
        new EmballageError('HOST_FAILED', {
          doing: 'serving what the example needs',
          expected: `the stand-in ${what[0] ?? ''} to run`,
          found: 'it ended',
          mend: 'see what it said',
        }),
      ),
    );
  });
}

/** The example's files, with the ports that were free. */
function pointAt(url: string, registry: string, folder: string): void {
  const moorings = join(folder, 'destinations/moorings.yaml');
  writeFileSync(moorings, readFileSync(moorings, 'utf8').replace(REGISTRY_IN_FILES, registry));
  for (const name of FILES_WITH_INDEX) {
    const file = join(folder, name);
    writeFileSync(file, readFileSync(file, 'utf8').replace(INDEX_IN_FILES, new URL('/', url).href));
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
