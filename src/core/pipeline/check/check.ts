/** Holds artifacts against a destination: every rule that can be applied, and which findings the team accepts. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import picomatch from 'picomatch';
import { present } from '../../base/present';
import type { OpenImage } from '../../disk/unpack/open-image';
import type { Finding, FunctionFacts, Gauge, Need, Rule, RuleContext, Subject } from '../../findings/rule';
import type { LanguageView } from '../../findings/view';
import { readNative } from '../../formats/native';
import { archOfPlatform } from '../../formats/oci';
import { ANY_EXECUTABLE, LANGUAGES, openLanguage, workOf } from '../../languages';
import { eventFiles } from '../../project/events';
import { readLock, type Lock } from '../../project/lock/lockfile';
import type { StateFolder } from '../../project/state/state';
import { papersOf, type PaperTexts } from '../../project/papers';
import { artifactPath, waybillPath, type Project, type Target } from '../../project/targets';
import { verifyAgainstWaybill } from '../../project/verify-artifact';
import { rulesWith } from '../../rules';
import {
  adapterCalls,
  ARCHITECTURES,
  entryOf,
  type Acceptance,
  type Destination,
  type FormFacts,
  type LanguageId,
} from '../../sheet';
import type { Machine } from '../../toolchains/machine';
import type { Waybill } from '../../waybill';
import { installedPackages, thirdPartyFacts } from '../packages';
import { wantedPapers } from '../papers';
import { formOfFile, openForm, type OpenRequest } from '../../forms';
import { functionPath } from '../../forms/image';
import { statedNeeds } from '../lock';
import { growthOf } from './growth';
import { insidesOf } from './insides';

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

export interface CheckRequest extends Pick<OpenRequest, 'path' | 'shown' | 'isVerified'> {
  /** What it is; looked at where that is not known. */
  readonly form?: FormFacts;
  readonly name: string;
  readonly destination: Destination;
  readonly facts: FunctionFacts;
  readonly accept: readonly Acceptance[];
  /** Today, `2026-11-24`. */
  readonly today: string;
  /** SHA-256 of a file of the artifact, where the waybill has it. */
  readonly digestOf?: (path: string) => string | undefined;
  /** Where facts of its code are kept; they are read again without it. */
  readonly state?: StateFolder;
  /** Threads that may work. */
  readonly jobs: number;
  /** Absolute path of a folder for layers of images while they are looked at; the caller removes it. */
  readonly scratch: string;
  readonly machine: Machine;
}

export type TargetSurroundings = Pick<CheckRequest, 'jobs' | 'machine' | 'scratch' | 'today'> &
  Pick<FunctionFacts, 'surroundings'>;

/** Checks the artifact that was built for a target; refuses when it is not the one its waybill describes. */
export async function checkTarget(
  project: Project,
  target: Target,
  { surroundings, ...common }: TargetSurroundings,
): Promise<CheckedArtifact> {
  const shown = artifactPath(target);
  const path = join(project.root, shown);
  const destination = project.sheet.destinations[target.spec.destination];
  if (destination === undefined) throw new Error(`no destination ${target.spec.destination}`);
  const recorded = await verifyAgainstWaybill(project, target);
  const waybill = asFunctionHasIt(recorded);
  const { spec } = target;
  const lock = await lockState(project, target, waybill);
  const digests = new Map(waybill.files.map((one) => [one.path, one.sha256 ?? '']));
  const events = await eventFiles(project, spec, `${common.today}T00:00:00Z`);
  const growth = await growthOf(project, target, common.scratch);
  const facts: FunctionFacts = {
    ...statedFacts(target, destination, waybill),
    ...(await thirdPartyFacts(project, target, waybill)),
    ...(await wantedPapers(project, destination, {
      sha256: waybill.artifact.sha256,
      waybill: recorded,
      waybillText: () => readFileSync(join(project.root, waybillPath(target)), 'utf8'),
      papers: papersOf(project, target),
    })),
    events,
    ...present({ surroundings, lock, growth }),
  };
  const checked = await checkFile({
    path,
    shown,
    form: spec.form,
    name: spec.name,
    destination,
    facts,
    accept: spec.accept,
    isVerified: true,
    digestOf: (one) => digests.get(one),
    state: project.state,
    ...common,
  });
  return { ...checked, arch: target.arch };
}

/** An artifact that stands at a destination, with its waybill. */
export interface StandingArtifact {
  /** Absolute path, and its name for messages. */
  readonly path: string;
  readonly shown: string;
  /** None where it is not known. */
  readonly waybill: Waybill | undefined;
  readonly waybillText: string;
  readonly papers: PaperTexts;
}

/** Checks what was fetched of a target: what the sheet says of the function, and another's bytes. */
export async function checkStanding(
  project: Project,
  { spec, arch }: Target,
  destination: Destination,
  { path, shown, waybill: recorded, waybillText, papers }: StandingArtifact,
  { surroundings, ...common }: TargetSurroundings,
): Promise<CheckedArtifact> {
  const waybill = recorded === undefined ? undefined : asFunctionHasIt(recorded);
  const third = waybill === undefined ? {} : await thirdPartyFacts(project, { spec, arch }, waybill);
  const wanted = await wantedPapers(project, destination, {
    sha256: recorded?.artifact.sha256 ?? '',
    waybill: recorded,
    waybillText: () => waybillText,
    papers,
  });
  const stated = statedFacts({ spec, arch }, destination, waybill);
  const facts = { ...stated, ...third, ...wanted, ...present({ surroundings }) };
  const { name, accept, form } = spec;
  return checkFile({ path, shown, form, name, destination, facts, accept, isVerified: true, ...common });
}

/** What the sheet says of a function, and what the host loads; without a waybill nobody knows that. */
function statedFacts({ spec, arch }: Target, destination: Destination, waybill: Waybill | undefined): FunctionFacts {
  const { name, runtime, settings, limits, memoryBytes, timeoutMs, adapter, byLanguage } = spec;
  // What the host loads is what is held to being there.
  const entry = waybill === undefined ? undefined : entryOf(waybill.entry.loads);
  const shape = adapter === undefined ? undefined : adapterCalls(spec, destination).shape;
  return {
    name,
    arch,
    runtime,
    settings,
    limits,
    byLanguage,
    ...present({ entry, waybill, memoryBytes, timeoutMs, adapter, shape }),
  };
}

/** A waybill with the paths that the function has: what it is held to is the same in an image and in an archive. */
function asFunctionHasIt(waybill: Waybill): Waybill {
  if (waybill.image === undefined) return waybill;
  return { ...waybill, files: waybill.files.map((one) => ({ ...one, path: functionPath(one.path) })) };
}

/** Checks any artifact. */
export async function checkFile(request: CheckRequest): Promise<CheckedArtifact> {
  const { path, shown, facts, scratch, state, isVerified, name, form = await formOfFile(path, shown) } = request;
  const opening = { path, shown, form, arch: facts.arch, scratch, state, isVerified, name: facts.entry?.file ?? name };
  return (await openForm(form)).withSubject(opening, (subject) =>
    checkSubject(request, subject, ownFacts(subject, facts)),
  );
}

/** What an artifact says of itself, where nothing else is said of it. */
function ownFacts(subject: Subject, facts: FunctionFacts): FunctionFacts {
  if (subject.image !== undefined) return withImageFacts(subject.image, facts);
  return subject.form.isProgram === true ? withOwnFacts(subject, facts) : facts;
}

async function checkSubject(request: CheckRequest, plain: Subject, known: FunctionFacts): Promise<CheckedArtifact> {
  const { destination, today } = request;
  // Of what nothing is recorded, what lies in it says what it is.
  const facts = known.waybill === undefined ? { packages: await installedPackages(plain), ...known } : known;
  const view = await viewOf(plain, request, facts);
  const insides = await insidesOf({ subject: plain, facts, state: request.state });
  const subject: Subject = { ...plain, ...insides, ...(view !== undefined && { view }) };
  const context = { subject, destination, facts, today };
  const outcomes = (await rulesFor(facts))
    .filter((rule) => concerns(rule, facts, subject))
    .map((rule) => applyRule(rule, context, request.accept));
  return { name: request.name, artifact: request.shown, destination: destination.name, outcomes };
}

/** What the language sees; of what is known by its entry alone, the language that such an entry would have. */
async function viewOf(plain: Subject, request: CheckRequest, facts: FunctionFacts): Promise<LanguageView | undefined> {
  const { destination, digestOf, state, machine, jobs } = request;
  const id = facts.runtime?.language ?? languageByEntry(facts);
  if (id === undefined) return undefined;
  const work = await openLanguage(id);
  return work.view({
    subject: plain,
    facts,
    destination,
    state,
    machine,
    jobs,
    runtime: facts.runtime,
    digestOf: digestOf ?? (() => undefined),
  });
}

function languageByEntry({ entry }: FunctionFacts): LanguageId | undefined {
  if (entry === undefined) return undefined;
  const isOf = ({ hasMember, pattern }: (typeof LANGUAGES)[number]['sheet']['entry']): boolean =>
    hasMember === (entry.member !== '') && pattern.test(entry.file);
  return LANGUAGES.find(({ sheet }) => isOf(sheet.entry))?.id;
}

/** The rules for all, and those of the language; of every language where none is known, so that what is not applied is told. */
export async function rulesFor({ runtime }: Pick<FunctionFacts, 'runtime'>): Promise<readonly Rule[]> {
  if (runtime !== undefined) return rulesWith((await workOf({ runtime })).rules);
  const all = await Promise.all(LANGUAGES.map(({ id }) => openLanguage(id)));
  return rulesWith(all.flatMap(({ rules }) => rules));
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
    runtime: ANY_EXECUTABLE,
    entry: { text: path, file: path, member: '' },
    ...(arch !== undefined && { arch }),
    ...facts,
  };
}

/** Findings that make the answer no. */
export function stopFindings(checked: readonly CheckedArtifact[]): CheckedFinding[] {
  const all = checked.flatMap((one) => one.outcomes.flatMap((outcome) => outcome.findings));
  return all.filter((finding) => finding.level === 'stop' && finding.accepted === undefined);
}

/** What is there for some artifacts only; a rule about it is not for the others. */
const RECORDED: readonly Need[] = ['lock', 'waybill', 'growth', 'events', 'packages', 'advisories', 'papers'];

/** Rules that a language has no answer to are not for it; nor are those about what was recorded for a file by hand. */
function concerns(rule: Rule, facts: FunctionFacts, { form, view }: Subject): boolean {
  if (rule.isOfLayers !== undefined && rule.isOfLayers !== (form.isLayered === true)) return false;
  if (rule.needs.some((need) => RECORDED.includes(need) && facts[need] === undefined)) return false;
  return rule.asks === undefined || facts.runtime === undefined || view?.[rule.asks] !== undefined;
}

function applyRule(rule: Rule, context: RuleContext, accept: readonly Acceptance[]): RuleOutcome {
  const lacking = rule.needs.filter((need) => context.facts[need] === undefined);
  if (lacking.length > 0) return { rule, findings: [], lacking };
  const { findings, gauge } = rule.check(context);
  const { waybill } = context.facts;
  const judged = findings.map(({ mendByHand, ...finding }) => {
    const mend = waybill === undefined ? (mendByHand ?? finding.mend) : finding.mend;
    return judge(rule.id, { ...finding, mend }, accept, context.today);
  });
  return { rule, findings: judged, lacking, ...(gauge !== undefined && { gauge }) };
}

function judge(rule: string, finding: Finding, accept: readonly Acceptance[], today: string): CheckedFinding {
  const covering = accept.filter(
    (one) =>
      one.rule === rule &&
      (one.where === undefined || (finding.where !== undefined && picomatch(one.where)(finding.where))) &&
      (one.fingerprint === undefined || one.fingerprint === finding.fingerprint),
  );
  const accepted = covering.find((one) => one.until >= today);
  if (accepted !== undefined) return { rule, ...finding, accepted };
  const [ended] = covering;
  return ended === undefined ? { rule, ...finding } : { rule, ...finding, endedAcceptance: ended };
}

/** Whether what was packed is what the lock has for today's requirements; undefined for functions without needs. */
async function lockState(project: Project, { spec, arch }: Target, waybill: Waybill): Promise<FunctionFacts['lock']> {
  const needs = await statedNeeds(project, spec);
  const { base } = await openForm(spec.form);
  if (needs === undefined && base === undefined) return undefined;
  const lock = await readLock(project);
  if (base !== undefined && !hasLockedBase(base.inputs(spec), { spec, arch }, lock, waybill)) return 'outdated';
  if (needs === undefined) return undefined;
  const locked = lock.functions[spec.name];
  if (locked === undefined) return 'missing';
  const packed = waybill.packages.map(({ sha256 }) => sha256).join();
  const isSame = packed === locked.targets[arch]?.map(({ sha256 }) => sha256).join();
  return locked.inputs === needs.inputs && isSame ? 'current' : 'outdated';
}

/** Whether an artifact stands on what the lock has for it today. @param inputs digest of what the sheet asks for */
function hasLockedBase(inputs: string | undefined, { spec, arch }: Target, lock: Lock, { image }: Waybill): boolean {
  const locked = lock.bases?.[spec.name];
  const packed = image?.base?.layers.map(({ digest }) => digest).join() ?? '';
  const settled = locked?.targets[arch]?.layers.map(({ digest }) => digest).join() ?? '';
  return inputs === locked?.inputs && packed === settled;
}
