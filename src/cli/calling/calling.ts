/** What is needed to call a function: the artifact, the program that runs it, its settings and limits. */
import { join } from 'node:path';
import { EmballageError } from '../../core/base/errors';
import { listed, printable } from '../../core/base/text';
import { present } from '../../core/base/present';
import { openForm, type FormWork } from '../../core/forms';
import { workOf, type Work } from '../../core/languages';
import { artifactPath, type Project, type Target } from '../../core/project/targets';
import { verifyAgainstWaybill } from '../../core/project/verify-artifact';
import {
  adapterCalls,
  callsOf,
  givenMemory,
  givenTimeMs,
  valueToTry,
  type Arch,
  type Destination,
  type FunctionSpec,
} from '../../core/sheet';
import type { Waybill } from '../../core/waybill';
import type { HostPlan, MountedData } from '../../standins/host';
import { imageRun } from './image-run';
import { ownArch } from '../session/machine';
import { nativeRun } from './native-run';
import type { Session } from '../session/session';

/** An artifact that is called, and how. */
export interface Callee {
  /** Absolute path, and its name for messages. */
  readonly artifact: string;
  readonly shown: string;
  readonly arch: Arch;
  /** What of a function's description calling depends on. */
  readonly spec: Pick<FunctionSpec, 'name' | 'form' | 'runtime' | 'adapter' | 'shape'>;
  readonly loads: Waybill['entry']['loads'];
  /** Files in it, as far as they are known. */
  readonly files: readonly { readonly path: string }[];
  readonly destination: Destination | undefined;
  readonly env: Readonly<Record<string, string>>;
  readonly beside: readonly MountedData[];
  readonly memoryBytes: number;
  readonly timeoutMs: number;
}

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
  const shown = artifactPath(target);
  const found = { artifact: join(project.root, shown), shown, loads: waybill.entry.loads, files: waybill.files };
  const remarks = isAgain ? undefined : session;
  return { plan: await planArtifact(calleeOf(project, target, found, remarks), session, remarks), waybill };
}

/** The plan for calling what was fetched. */
export async function planSent(
  project: Project,
  target: Target,
  session: Session,
  sent: { readonly artifact: string; readonly shown: string; readonly waybill: Waybill | undefined },
): Promise<HostPlan> {
  const { file, member } = target.spec.entry;
  const { artifact, shown, waybill } = sent;
  const found = { artifact, shown, loads: waybill?.entry.loads ?? { file, member }, files: waybill?.files ?? [] };
  return planArtifact(calleeOf(project, target, found, session), session, session);
}

function calleeOf(
  project: Project,
  { spec, arch }: Target,
  found: Pick<Callee, 'artifact' | 'shown' | 'loads' | 'files'>,
  remarks: Session | undefined,
): Callee {
  const destination = project.sheet.destinations[spec.destination];
  return {
    ...found,
    spec,
    arch,
    destination,
    env: settingsFor(spec, remarks),
    beside: spec.beside.map(({ name, file, setting }) => ({ name, setting, path: join(project.root, file) })),
    memoryBytes: givenMemory(spec, destination),
    timeoutMs: givenTimeMs(spec, destination),
  };
}

/** @param remarks where what is missing is told */
export async function planArtifact(callee: Callee, session: Session, remarks: Session | undefined): Promise<HostPlan> {
  const { artifact, shown, spec, destination, loads, env, beside, memoryBytes, timeoutMs } = callee;
  const work = await workOf(spec);
  return {
    artifact,
    shown,
    name: spec.name,
    file: loads.file,
    member: loads.member,
    run: work.run.host,
    ...present({ unpack: unpackingOf(await openForm(spec.form), artifact, shown) }),
    calls: callsOf(destination),
    ...(spec.adapter !== undefined && { shape: adapterCalls(spec, destination).shape }),
    ...(await runs(callee, work, session, remarks)),
    env,
    beside,
    memoryBytes,
    timeoutMs,
    now: () => session.now(),
    elapsed: () => performance.now(),
  };
}

/** What lays an artifact out, where it is not called as it lies. */
function unpackingOf({ unpack }: FormWork, artifact: string, shown: string): HostPlan['unpack'] {
  return unpack === undefined ? undefined : (into) => unpack(artifact, shown, into);
}

/** What runs it here. */
async function runs(
  callee: Callee,
  work: Work,
  session: Session,
  remarks: Session | undefined,
): Promise<Pick<HostPlan, 'program' | 'emulator' | 'image'>> {
  const { spec, arch, artifact, shown, loads } = callee;
  if (spec.form.isLayered === true) return { image: await imageRun(arch, remarks) };
  if (work.run.host.runner !== undefined) return withRuntime(callee, work, session);
  return nativeRun({ arch, path: artifact, shown, form: spec.form, file: loads.file }, remarks);
}

/** Compiled files for another processor cannot be loaded here, and an emulator would need that processor's runtime. */
function refuseForeign({ files, arch }: Callee): void {
  const native = files.find(({ path }) => /\.(?:so(?:\.[\d.]+)?|node)$/.test(path));
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
  for (const setting of spec.settings) {
    const { name, secret, beside } = setting;
    if (beside !== undefined) continue;
    const value = secret ? process.env[name] : valueToTry(setting, spec.destination);
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
async function withRuntime(callee: Callee, { run }: Work, session: Session): Promise<Pick<HostPlan, 'program'>> {
  refuseForeign(callee);
  const { program, remark } = await run.choose(session.machine(), callee.spec);
  if (remark !== undefined) session.remark(`${session.paint.doubt('note')}: ${remark}`);
  return program === undefined ? {} : { program };
}
