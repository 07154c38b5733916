/** Holds artifacts against a destination: every rule that can be applied, and which findings the team accepts. */
import { join } from 'node:path';
import picomatch from 'picomatch';
import { present } from '../../base/present';
import { withFileSource } from '../../disk/file-source';
import type { OpenImage } from '../../disk/open-image';
import { readNative } from '../../formats/native';
import { archOfPlatform } from '../../formats/oci';
import {
  RULES,
  type Finding,
  type FunctionFacts,
  type Gauge,
  type Need,
  type Rule,
  type RuleContext,
  type Subject,
} from '../../rules';
import {
  ARCHITECTURES,
  NATIVE_RUNTIME,
  offeredRuntime,
  settleRuntime,
  type Arch,
  type Form,
  type FunctionSpec,
  type Acceptance,
  type Destination,
} from '../../sheet';
import { readSubject, type SubjectRequest } from './subject';
import type { JvmView } from '../../languages/jvm';
import type { NodeView } from '../../languages/node';
import type { Waybill } from '../../waybill';
import type { JavaRuntime } from '../../languages/jvm/run/machines';
import { knownFacts } from '../../languages/python/facts-memory';
import { functionPath } from '../image/cut';
import { isImage, withImageSubject } from '../image/image-subject';
import type { Lock } from '../../project/lockfile';
import { artifactPath, stateFolder, type Project, type Target } from '../../project/targets';
import { verifyAgainstWaybill } from '../../project/verify-artifact';

export interface CheckedFinding extends Finding {
  readonly rule: string;
  /** The acceptance that covers it; it no longer counts. */
  readonly accepted?: Acceptance;
  /** An acceptance that covered it and has ended; it counts again. */
  readonly endedAcceptance?: Acceptance;
}

export interface RuleOutcome {
  readonly rule: Rule;
  readonly findings: readonly CheckedFinding[];
  readonly gauge?: Gauge;
  /** Facts for want of which the rule was not applied. */
  readonly lacking: readonly Need[];
}

export interface CheckedArtifact {
  /** `surge-alert`, or the file's name. */
  readonly name: string;
  readonly arch?: string;
  /** As shown to people. */
  readonly artifact: string;
  readonly destination: string;
  readonly outcomes: readonly RuleOutcome[];
}

export interface CheckRequest extends SubjectRequest {
  readonly name: string;
  readonly destination: Destination;
  readonly facts: FunctionFacts;
  readonly accept: readonly Acceptance[];
  /** Today, `2026-11-24`. */
  readonly today: string;
  /** SHA-256 of a file of the artifact, where the waybill has it. */
  readonly digestOf?: (path: string) => string | undefined;
  /** Where facts of JavaScript modules are kept. Absolute path. */
  readonly moduleBook?: string;
  /** Threads that may work. */
  readonly jobs?: number;
  /** Absolute path of a folder for layers of images while they are looked at; the caller removes it. */
  readonly scratch: string;
  /** The Java machines here, whose lists of classes say what a JDK has. */
  readonly javas?: () => Promise<readonly JavaRuntime[]>;
}

export type TargetSurroundings = Required<Pick<CheckRequest, 'jobs' | 'javas' | 'scratch'>> &
  Pick<FunctionFacts, 'surroundings'>;

const MAX_CLASS_BYTES = 64 * 1024 * 1024;

/** Checks the artifact that was built for a target; refuses when it is not the one its waybill describes. */
export async function checkTarget(
  project: Project,
  target: Target,
  today: string,
  { jobs, javas, scratch, surroundings }: TargetSurroundings,
): Promise<CheckedArtifact> {
  const shown = artifactPath(target);
  const path = join(project.root, shown);
  const destination = project.sheet.destinations[target.spec.destination];
  if (destination === undefined) throw new Error(`no destination ${target.spec.destination}`);
  const waybill = await verifyAgainstWaybill(project, target);
  const { spec, arch } = target;
  const { name, runtime, settings, limits, memoryBytes, timeoutMs, adapter } = spec;
  const lock = await lockState(project, target, waybill);
  // What the host loads is what is held to being there.
  const { file, member } = waybill.entry.loads;
  const entry = { text: member === '' ? file : `${file}#${member}`, file, member };
  const digests = new Map(waybill.files.map((file) => [functionPath(file.path), file.sha256 ?? '']));
  const facts: FunctionFacts = {
    ...{ name, arch, runtime, entry, settings, limits },
    ...(memoryBytes !== undefined && { memoryBytes }),
    ...(timeoutMs !== undefined && { timeoutMs }),
    ...(adapter !== undefined && { adapter }),
    ...present({ linkage: spec.native?.linkage, surroundings }),
    waybill,
    ...(lock !== undefined && { lock }),
  };
  const checked = await checkFile({
    path,
    shown,
    name,
    destination,
    facts,
    accept: spec.accept,
    today,
    isVerified: true,
    factsInMemory: (path) => knownFacts(project, digests.get(path) ?? ''),
    digestOf: (path) => digests.get(path),
    moduleBook: join(stateFolder(project), 'modules', `${name}.check.book`),
    ...{ jobs, javas, scratch },
  });
  return { ...checked, arch };
}

/** Checks any artifact. */
export async function checkFile(request: CheckRequest): Promise<CheckedArtifact> {
  const { path, shown, facts, scratch } = request;
  if (await isImage(path, shown)) {
    const opening = { path, shown, arch: facts.arch, scratch };
    return withImageSubject(opening, (subject) => checkSubject(request, subject, withImageFacts(subject.image, facts)));
  }
  return withFileSource(path, shown, async (source) => {
    const plain = await readSubject(source, request, facts.entry?.file ?? request.name);
    return checkSubject(request, plain, plain.form === 'binary' ? withOwnFacts(plain, facts) : facts);
  });
}

async function checkSubject(request: CheckRequest, plain: Subject, facts: FunctionFacts): Promise<CheckedArtifact> {
  const own = { ...request, facts };
  const node = await viewNode(plain, own);
  const jvm = await viewJvm(plain, own);
  const subject = { ...plain, ...(node !== undefined && { node }), ...(jvm !== undefined && { jvm }) };
  const context = { subject, destination: request.destination, facts, today: request.today };
  const outcomes = RULES.filter((rule) => concerns(rule, facts, plain.form)).map((rule) =>
    applyRule(rule, context, request.accept),
  );
  return { name: request.name, artifact: request.shown, destination: request.destination.name, outcomes };
}

/** An image says what it is for. */
function withImageFacts({ config }: OpenImage, facts: FunctionFacts): FunctionFacts {
  const arch = archOfPlatform(config.architecture);
  return { ...(arch !== undefined && { arch }), ...facts };
}

/** An executable says itself what it is. */
function withOwnFacts(subject: Subject, facts: FunctionFacts): FunctionFacts {
  const [file] = subject.entries;
  const reading = readNative(
    file === undefined ? new Uint8Array() : (subject.readBytes(file.path, Infinity) ?? new Uint8Array()),
  );
  const machines = reading === undefined || 'fault' in reading ? [] : reading.machines;
  const arch = ARCHITECTURES.find((one) => machines.some(({ name }) => name === one));
  const path = file?.path ?? '';
  return {
    runtime: settleRuntime(NATIVE_RUNTIME),
    entry: { text: path, file: path, member: '' },
    ...(arch !== undefined && { arch }),
    ...facts,
  };
}

/** What Node.js would see, for functions of Node.js whose entry is known. */
async function viewNode(subject: Subject, request: CheckRequest): Promise<NodeView | undefined> {
  const { runtime, entry, settings } = request.facts;
  if (runtime?.language !== 'node' || entry === undefined) return undefined;
  const { requiresEsm, viewNodeArtifact } = await import('../../languages/node');
  const patch = offeredRuntime(request.destination, runtime)?.patch;
  return viewNodeArtifact({
    paths: subject.entries.filter(({ kind }) => kind === 'file').map(({ path }) => path),
    readText: subject.readText,
    digestOf: request.digestOf ?? (() => undefined),
    entry: entry.file,
    requiresEsm: requiresEsm(Number(runtime.version), patch),
    nodeEnv: settings?.find(({ name }) => name === 'NODE_ENV')?.sample,
    book: request.moduleBook,
    threads: request.jobs ?? 1,
  });
}

/** What the Java machine would see, for JVM functions whose entry is known. */
async function viewJvm(subject: Subject, request: CheckRequest): Promise<JvmView | undefined> {
  const { runtime, entry } = request.facts;
  if (runtime?.language !== 'java' || entry === undefined) return undefined;
  const [{ viewJvmArtifact }, { jdkApi }] = await Promise.all([
    import('../../languages/jvm'),
    import('../../languages/jvm/run/jdk-api'),
  ]);
  const java = Number(runtime.version);
  const javas = (await request.javas?.()) ?? [];
  const [newest] = javas;
  return viewJvmArtifact({
    paths: subject.entries.filter(({ kind }) => kind === 'file').map(({ path }) => path),
    readBytes: (path) => subject.readBytes(path, MAX_CLASS_BYTES),
    entry: entry.file,
    java,
    jdk: await jdkApi(javas, java),
    newest: newest === undefined || newest.major <= java ? undefined : await jdkApi([newest], newest.major),
  });
}

/** Findings that make the answer no. */
export function stopFindings(checked: readonly CheckedArtifact[]): CheckedFinding[] {
  const all = checked.flatMap((one) => one.outcomes.flatMap((outcome) => outcome.findings));
  return all.filter((finding) => finding.level === 'stop' && finding.accepted === undefined);
}

/** Rules about other languages are not for this function; nor are those about what was recorded for a file by hand. */
function concerns(rule: Rule, facts: FunctionFacts, form: Form): boolean {
  if (rule.forms !== undefined && !rule.forms.includes(form)) return false;
  if (rule.needs.includes('lock') && facts.lock === undefined) return false;
  if (rule.needs.includes('waybill') && facts.waybill === undefined) return false;
  return rule.languages === undefined || facts.runtime === undefined || rule.languages.includes(facts.runtime.language);
}

function applyRule(rule: Rule, context: RuleContext, accept: readonly Acceptance[]): RuleOutcome {
  const lacking = rule.needs.filter((need) => context.facts[need] === undefined);
  if (lacking.length > 0) return { rule, findings: [], lacking };
  const { findings, gauge } = rule.check(context);
  const judged = findings.map((finding) => judge(rule.id, finding, accept, context.today));
  return { rule, findings: judged, lacking, ...(gauge !== undefined && { gauge }) };
}

function judge(rule: string, finding: Finding, accept: readonly Acceptance[], today: string): CheckedFinding {
  const covering = accept.filter(
    (one) =>
      one.rule === rule &&
      (one.where === undefined || (finding.where !== undefined && picomatch(one.where)(finding.where))),
  );
  const accepted = covering.find((one) => one.until >= today);
  if (accepted !== undefined) return { rule, ...finding, accepted };
  const [ended] = covering;
  return ended === undefined ? { rule, ...finding } : { rule, ...finding, endedAcceptance: ended };
}

/** Whether what was packed is what the lock has for today's requirements; undefined for functions without needs. */
async function lockState(project: Project, { spec, arch }: Target, waybill: Waybill): Promise<FunctionFacts['lock']> {
  const [{ statedNeeds }, { lockNameOf, readLock }] = await Promise.all([import('../lock/locked'), import('../../project/lockfile')]);
  const needs = await statedNeeds(project, spec);
  if (needs === undefined && spec.form !== 'image') return undefined;
  const lock = readLock(project.root, lockNameOf(project));
  if (spec.form === 'image' && !(await hasLockedBase(spec, arch, lock, waybill))) return 'outdated';
  if (needs === undefined) return undefined;
  const locked = lock.functions[spec.name];
  if (locked === undefined) return 'missing';
  const packed = waybill.packages.map(({ sha256 }) => sha256).join();
  const isSame = packed === locked.targets[arch]?.map(({ sha256 }) => sha256).join();
  return locked.inputs === needs.inputs && isSame ? 'current' : 'outdated';
}

/** Whether an image stands on what the lock has for it today. */
async function hasLockedBase(spec: FunctionSpec, arch: Arch, lock: Lock, { image }: Waybill): Promise<boolean> {
  const { baseInputs } = await import('../image/base');
  const locked = lock.bases?.[spec.name];
  const packed = image?.base?.layers.map(({ digest }) => digest).join() ?? '';
  const settled = locked?.targets[arch]?.layers.map(({ digest }) => digest).join() ?? '';
  return baseInputs(spec) === locked?.inputs && packed === settled;
}
