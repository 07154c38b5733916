/** What `try` needs to call a function: the artifact, the program that runs it, its settings and limits. */
import { join } from 'node:path';
import { EmballageError } from '../core/base/errors';
import { listed, printable } from '../core/base/text';
import { workOf, type Work } from '../core/languages';
import { artifactPath, type Project, type Target } from '../core/project/targets';
import { verifyAgainstWaybill } from '../core/project/verify-artifact';
import { adapterCalls, callsOf, givenMemory, givenTimeMs, type Arch, type FunctionSpec } from '../core/sheet';
import type { Waybill } from '../core/waybill';
import type { HostPlan } from '../standins/host';
import { imageRun } from './image-run';
import { ownArch } from './machine';
import { nativeRun } from './native-run';
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
  const work = await workOf(target.spec);
  const remarks = isAgain ? undefined : session;
  const runs =
    target.spec.form === 'image'
      ? { image: await imageRun(target.arch, remarks) }
      : work.run.host.runner === undefined
        ? await nativeRun(project, target, waybill, remarks)
        : await withRuntime(target, waybill, work, session);
  return { plan: makePlan(project, target, { loads: waybill.entry.loads, runs, work, session, isAgain }), waybill };
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
  const work = await workOf(target.spec);
  return { ...makePlan(project, target, { loads, runs: { image }, work, session, isAgain: false }), ...sent };
}

function makePlan(
  project: Project,
  { spec, arch }: Target,
  {
    loads: { file, member },
    runs,
    work,
    session,
    isAgain,
  }: {
    readonly loads: Waybill['entry']['loads'];
    readonly runs: Pick<HostPlan, 'program' | 'emulator' | 'image'>;
    readonly work: Work;
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
    run: work.run.host,
    calls: callsOf(destination),
    ...(spec.adapter !== undefined && { shape: adapterCalls(spec, destination).shape }),
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

/** The program that the language chooses, with what there is to remark about it. */
async function withRuntime(
  { spec, arch }: Target,
  waybill: Waybill,
  { run }: Work,
  session: Session,
): Promise<Pick<HostPlan, 'program'>> {
  refuseForeign(waybill, arch);
  const { program, remark } = await run.choose(session.machine(), spec);
  if (remark !== undefined) session.remark(`${session.paint.doubt('note')}: ${remark}`);
  return program === undefined ? {} : { program };
}
