/** `try`: calls a function from its unpacked artifact. */
import { arch as processor } from 'node:os';
import { resolve, join } from 'node:path';
import { EmballageError } from '../../core/base/errors';
import { present } from '../../core/base/present';
import { listed, printable } from '../../core/base/text';
import { formatSize } from '../../core/base/units';
import { verifyAgainstWaybill } from '../../core/pipeline/check';
import { artifactPath, selectFunctions, type Project, type Target } from '../../core/pipeline/targets';
import { ARCHITECTURES, type Arch, type FunctionSpec } from '../../core/sheet';
import { chooseNode } from '../../core/toolchains/node';
import { choosePython } from '../../core/toolchains/python';
import type { Waybill } from '../../core/waybill';
import { readEvent, runInHost, type CallReport, type HostPlan, type NamedEvent } from '../../standins/host';
import type { Session } from '../session';
import { callText, summaryText } from '../views/call';
import { cutModules, cutText, recordOf, recordText } from '../views/record';
import { EXIT, text, texts, type CommandModule } from './command';
import { findNodes, pythonMend } from './toolchains';

/** What a function gets where neither the sheet nor the destination says. */
const DEFAULT_MEMORY = 128 * 1024 ** 2;
const DEFAULT_TIMEOUT_MS = 30_000;
const MAX_REPEATS = 10_000;

export const command: CommandModule = {
  about:
    'Unpacks the artifact (never the source) into a fresh read-only folder and calls the function in a process of its\n' +
    'own: only the declared settings in its environment, its memory and time limits enforced. Events are CloudEvents;\n' +
    'a plain JSON file is wrapped as the data of one. A secret setting is taken from the environment of this command.',
  examples: [
    ['surge-alert', 'call it with the events that the sheet names'],
    ['surge-alert --event flood.json --repeat 3', 'call it three times with one event'],
  ],
  options: (yargs) =>
    yargs
      .option('event', { type: 'string', requiresArg: true, describe: 'an event file; may be given several times' })
      .option('repeat', { type: 'number', requiresArg: true, default: 1, describe: 'go through the events so often' })
      .option('arch', {
        choices: ARCHITECTURES,
        requiresArg: true,
        describe: 'which of the artifacts; this machine’s otherwise',
      })
      .option('record', {
        type: 'boolean',
        default: false,
        describe: 'Python: note which modules the calls loaded, and which they missed',
      }),
  async run(args, session) {
    const project = await session.openProject();
    const spec = oneFunction(project, texts(args, '_'));
    const arch = chooseArch(spec, text(args, 'arch'));
    const repeat = repeatsFrom(args.repeat);
    const waybill = await verifyAgainstWaybill(project, { spec, arch });
    refuseForeign(waybill, arch);
    const once = await readEvents(project, spec, texts(args, 'event'), session);
    const events = Array.from({ length: repeat }, () => once).flat();
    const program = await chooseProgram(spec, session);
    const reports: CallReport[] = [];
    const plan = makePlan(project, { spec, arch }, { waybill, program, session });
    session.tell(
      `${session.paint.bold(spec.name)} ${arch}, ${spec.entry.text}, ${formatSize(plan.memoryBytes)}, from ${session.paint.name(plan.shown)}\n`,
    );
    const { asNobody, seen, asked } = await runInHost(plan, events, (report) => {
      if (reports.length > 0) session.tell('');
      reports.push(report);
      session.say(callText(report, plan, session));
    });
    if (process.getuid?.() === 0 && !asNobody)
      session.remark('note: run as root, for whom the read-only folder is not read-only');
    const failed = reports.filter((report) => report.answer.kind === 'failed').length;
    const record = args.record === true ? recordOf(waybill, seen, asked) : undefined;
    const cut = cutModules(waybill, asked);
    session.document({ name: spec.name, arch, failed, calls: reports, cut, ...present({ record }) });
    session.tell(summaryText(reports, plan, session.paint));
    if (record !== undefined) session.say(recordText(record, session));
    if (cut.length > 0 && (failed > 0 || record !== undefined)) session.say(cutText(cut, session.paint));
    if (failed > 0) session.next(`try ${spec.name} --verbose`, 'see whole logs and stacks');
    else session.next(`prove ${spec.name}`, 'build it again elsewhere and compare the bytes');
    return failed > 0 ? EXIT.no : EXIT.done;
  },
};

function makePlan(
  project: Project,
  { spec, arch }: Target,
  { waybill, program, session }: { readonly waybill: Waybill; readonly program: string; readonly session: Session },
): HostPlan {
  const destination = project.sheet.destinations[spec.destination];
  const shown = artifactPath({ spec, arch });
  const { file, member } = waybill.entry.loads;
  return {
    artifact: join(project.root, shown),
    shown,
    name: spec.name,
    file,
    member,
    language: spec.runtime.language,
    program,
    env: settingsFor(spec, session),
    memoryBytes: spec.memoryBytes ?? Math.max(DEFAULT_MEMORY, destination?.memory.least ?? 0),
    timeoutMs: spec.timeoutMs ?? Math.min(destination?.timeoutMostMs ?? DEFAULT_TIMEOUT_MS, DEFAULT_TIMEOUT_MS),
    now: () => session.now(),
    elapsed: () => performance.now(),
  };
}

function oneFunction(project: Project, names: readonly string[]): FunctionSpec {
  const known = project.sheet.functions.map((spec) => spec.name);
  const wanted = names.length === 0 && known.length === 1 ? known : names;
  const [spec] = wanted.length === 1 ? selectFunctions(project.sheet, wanted) : [];
  if (spec !== undefined) return spec;
  throw new EmballageError('USAGE', {
    doing: 'reading the command line',
    expected: `one function: ${listed(known, 'or')}`,
    found: names.length === 0 ? 'none' : String(names.length),
    mend: 'name the function to call',
  });
}

/** Compiled files for another processor cannot be loaded here, and an emulator would need that processor's runtime. */
function refuseForeign(waybill: Waybill, arch: Arch): void {
  const native = waybill.files.find(({ path }) => /\.(?:so(?:\.[\d.]+)?|node)$/.test(path));
  if (arch === ownArch() || native === undefined) return;
  throw new EmballageError('TOOLCHAIN_MISSING', {
    doing: 'looking for the runtime',
    expected: `an artifact that this machine (${ownArch()}) can run`,
    found: `one for ${arch} with compiled files, such as ${printable(native.path)}`,
    mend: `build for ${ownArch()} too (\`arch\` in the sheet), or try it on a machine of that kind`,
  });
}

function ownArch(): Arch {
  return processor() === 'arm64' ? 'arm64' : 'x86_64';
}

/** The artifact for this machine's processor where there is one. */
function chooseArch(spec: FunctionSpec, asked: string | undefined): Arch {
  const own = ownArch();
  const wanted = asked ?? (spec.archs.includes(own) ? own : spec.archs[0]);
  const arch = spec.archs.find((one) => one === wanted);
  if (arch !== undefined) return arch;
  throw new EmballageError('USAGE', {
    doing: 'reading the command line',
    where: '--arch',
    expected: listed(spec.archs, 'or'),
    found: String(asked),
    mend: 'build for it first: `arch` in the sheet',
  });
}

async function readEvents(
  project: Project,
  spec: FunctionSpec,
  files: readonly string[],
  session: Session,
): Promise<NamedEvent[]> {
  const time = new Date(session.now()).toISOString();
  if (files.length > 0) return files.map((file) => readEvent(resolve(session.cwd, file), file, time));
  const { glob } = await import('tinyglobby');
  const found =
    spec.events.length === 0
      ? []
      : await glob([...spec.events], { cwd: project.root, onlyFiles: true, expandDirectories: false });
  if (found.length > 0) return found.sort().map((file) => readEvent(join(project.root, file), file, time));
  throw new EmballageError('EVENT_INVALID', {
    doing: 'looking for events',
    expected: 'an event to call the function with',
    found:
      spec.events.length === 0
        ? 'none: the sheet names no `events`'
        : `no file that matches ${spec.events.map((e) => `\`${e}\``).join(', ')}`,
    mend: 'add --event FILE, or `events` to the sheet',
  });
}

function repeatsFrom(repeat: unknown): number {
  if (typeof repeat === 'number' && Number.isInteger(repeat) && repeat >= 1 && repeat <= MAX_REPEATS) return repeat;
  throw new EmballageError('USAGE', {
    doing: 'reading the command line',
    where: '--repeat',
    expected: `a whole number from 1 to ${String(MAX_REPEATS)}`,
    found: String(repeat),
    mend: 'correct it',
  });
}

/** Only what is declared: samples from the sheet, secrets from our own environment. */
function settingsFor(spec: FunctionSpec, session: Session): Record<string, string> {
  const env: Record<string, string> = {};
  for (const { name, sample, secret } of spec.settings) {
    const value = secret ? process.env[name] : sample;
    if (value !== undefined) env[name] = value;
    else
      session.remark(
        secret
          ? `note: ${name} is a secret and not set here; ${name}=… before the command sets it`
          : `note: ${name} has no sample and is not set`,
      );
  }
  return env;
}

async function chooseProgram(spec: FunctionSpec, session: Session): Promise<string> {
  if (spec.runtime.language === 'python') {
    const found = choosePython(await session.pythons(), spec.runtime.version);
    if (found !== undefined) return found.path;
    throw new EmballageError('TOOLCHAIN_MISSING', {
      doing: 'looking for the runtime',
      expected: spec.runtime.text,
      found: 'none on this machine; another version would say little about this one',
      mend: pythonMend(spec.runtime.version),
    });
  }
  const major = Number(spec.runtime.version);
  const chosen = chooseNode(await findNodes(), major);
  if (chosen === undefined)
    throw new EmballageError('TOOLCHAIN_MISSING', {
      doing: 'looking for the runtime',
      expected: spec.runtime.text,
      found: 'no Node.js at all',
      mend: 'install Node.js',
    });
  if (chosen.major !== major)
    session.remark(
      `${session.paint.doubt('note')}: ${spec.runtime.text} is not on this machine; called with Node.js ${chosen.version}, the nearest, so the result may differ`,
    );
  return chosen.path;
}
