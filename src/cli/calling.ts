/** What `try` needs to call a function: the artifact, the program that runs it, its settings and limits. */
import { join } from 'node:path';
import { EmballageError } from '../core/base/errors';
import { listed, printable } from '../core/base/text';
import { verifyAgainstWaybill } from '../core/project/verify-artifact';
import { artifactPath, type Project, type Target } from '../core/project/targets';
import { givenMemory, givenTimeMs, isNative, type Arch, type FunctionSpec } from '../core/sheet';
import { chooseNode } from '../core/languages/node/run/runtimes';
import { chooseJava } from '../core/languages/jvm/run/machines';
import { choosePython } from '../core/languages/python/run/interpreters';
import type { Waybill } from '../core/waybill';
import type { HostPlan } from '../standins/host';
import { findNodes, pythonMend } from './commands/toolchains';
import { imageRun } from './image-run';
import { nativeRun, ownArch } from './native-run';
import type { Session } from './session';

/**
 * The plan for calling a function from its artifact, which is the one that its waybill describes.
 * @param isAgain whether what is missing was told before
 */
export async function planCalls(
  project: Project,
  target: Target,
  session: Session,
  isAgain = false,
): Promise<{ readonly plan: HostPlan; readonly waybill: Waybill }> {
  const waybill = await verifyAgainstWaybill(project, target);
  if (target.spec.form === 'image') {
    const image = await imageRun(target.arch, isAgain ? undefined : session);
    return {
      plan: makePlan(project, target, { loads: waybill.entry.loads, runs: { image }, session, isAgain }),
      waybill,
    };
  }
  if (!isNative(target.spec.runtime.language)) refuseForeign(waybill, target.arch);
  const runs = isNative(target.spec.runtime.language)
    ? await nativeRun(project, target, waybill, isAgain ? undefined : session)
    : { program: await chooseProgram(target.spec, session) };
  return { plan: makePlan(project, target, { loads: waybill.entry.loads, runs, session, isAgain }), waybill };
}

/** The plan for calling an image that was fetched: it says itself what is started. */
export async function planSent(
  project: Project,
  target: Target,
  session: Session,
  sent: Pick<HostPlan, 'artifact' | 'shown'>,
): Promise<HostPlan> {
  const image = await imageRun(target.arch, session);
  const { file, member } = target.spec.entry;
  const loads = { file, member };
  return { ...makePlan(project, target, { loads, runs: { image }, session, isAgain: false }), ...sent };
}

function makePlan(
  project: Project,
  { spec, arch }: Target,
  {
    loads: { file, member },
    runs,
    session,
    isAgain,
  }: {
    readonly loads: Waybill['entry']['loads'];
    readonly runs: Pick<HostPlan, 'program' | 'emulator' | 'image'>;
    readonly session: Session;
    readonly isAgain: boolean;
  },
): HostPlan {
  const destination = project.sheet.destinations[spec.destination];
  const shown = artifactPath({ spec, arch });
  return {
    artifact: join(project.root, shown),
    shown,
    name: spec.name,
    file,
    member,
    language: spec.runtime.language,
    ...runs,
    env: settingsFor(spec, isAgain ? undefined : session),
    memoryBytes: givenMemory(spec, destination),
    timeoutMs: givenTimeMs(spec, destination),
    now: () => session.now(),
    elapsed: () => performance.now(),
  };
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

/** The artifact for this machine's processor where there is one. */
export function chooseArch(spec: FunctionSpec, asked: string | undefined): Arch {
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

/** Only what is declared: samples from the sheet, secrets from our own environment. */
function settingsFor(spec: FunctionSpec, session: Session | undefined): Record<string, string> {
  const env: Record<string, string> = {};
  for (const { name, sample, secret } of spec.settings) {
    const value = secret ? process.env[name] : sample;
    if (value !== undefined) env[name] = value;
    else
      session?.remark(
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
  if (spec.runtime.language === 'java') return chooseJavaProgram(major, session);
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

/** Newer machines run classes for older ones. */
async function chooseJavaProgram(wanted: number, session: Session): Promise<string> {
  const javas = await session.javas();
  const chosen = chooseJava(javas, Math.max(wanted, OLDEST_JAVA));
  if (chosen === undefined)
    throw new EmballageError('TOOLCHAIN_MISSING', {
      doing: 'looking for the runtime',
      expected: `Java ${String(wanted)} or newer`,
      found: javas[0] === undefined ? 'none on this machine' : `only Java ${javas[0].version}`,
      mend: 'install a JRE of that version, such as Debian’s default-jre-headless',
    });
  if (chosen.major !== wanted)
    session.remark(
      `${session.paint.doubt('note')}: java ${String(wanted)} is not on this machine; called with Java ${chosen.version}, which is newer`,
    );
  return chosen.path;
}

/** The runner is compiled for this version. */
const OLDEST_JAVA = 11;
