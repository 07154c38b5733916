/** The look that reads: what the lock says, what the language depends on, and what lies in the source folder. */
import { join } from 'node:path';
import { surveySource, type CollectRequest } from '../../fileset/collect';
import { openForm } from '../../forms';
import { languageOf, workOf } from '../../languages';
import { inputsText, joinInputs, NO_INPUTS, watchInputs, type Inputs } from '../../project/inputs';
import { lockNameOf, type LockedBase, type LockedFunction } from '../../project/lock/lockfile';
import { ledgerNameOf, weightsNameOf, type Project } from '../../project/targets';
import type { FunctionSpec } from '../../sheet';
import { lockedFunction } from '../lock';
import type { BuiltTarget, ChangedStatus, BuildStatus, StatusRequest } from './model';
import { asBefore, indexPath } from './records';
import { writeStatIndex, type StatIndex } from './stat-index';

interface FirstLook {
  readonly spec: FunctionSpec;
  readonly index: StatIndex | undefined;
  readonly common: string;
  /** The targets, where all of them lie there as the last build left them. */
  readonly targets: readonly BuiltTarget[] | undefined;
  readonly lookedAtMs: number;
}

/** The look where stamps do not tell: everything that bytes depend on is read. */
export async function lookCarefully({ project }: StatusRequest, first: FirstLook): Promise<BuildStatus> {
  const { spec, index, common, targets, lookedAtMs } = first;
  const locked = await lockedFunction(project, spec);
  const base = await lockedBaseOf(project, spec);
  const inputs = await inputsOf(project, spec, { locked, base });
  const config = inputsText(project, inputs);
  const isAsItWas = targets !== undefined && index?.config === config;
  if (isAsItWas && index.standsAsItDid(join(project.root, spec.source))) {
    index.watchAnew(indexPath(project, spec), watched(project, inputs, lookedAtMs));
    return { spec, unchanged: asBefore(targets, index) };
  }
  const survey = surveySource(collectRequest(project, spec, locked !== undefined));
  const looked: ChangedStatus = { spec, survey, lookedAtMs, index, inputs, config, common, locked, base };
  if (!isAsItWas || survey.refused.length > 0 || !index.matches(survey.items)) return looked;
  refreshIndex(project, looked, index);
  return { spec, unchanged: asBefore(targets, index) };
}

/** Everything but the source folder that the bytes depend on, and that is not common to all. */
async function inputsOf(
  project: Project,
  spec: FunctionSpec,
  { locked, base }: { readonly locked: LockedFunction | undefined; readonly base: LockedBase | undefined },
): Promise<Inputs> {
  const work = await workOf(spec);
  const own = work.dependsOn(project, spec, locked);
  // The waybill has the digests of what travels beside the artifact.
  const lock: Inputs = { ...NO_INPUTS, values: { locked }, files: spec.beside.map(({ file }) => file) };
  const standsOn = (await openForm(spec.form)).base;
  return joinInputs(lock, own, ...(standsOn === undefined ? [] : [standsOn.dependsOn(project, spec, base)]));
}

/** The lock is one file for all functions: what it says of this one counts, but a look sees only that it changed. */
export function watched(project: Project, inputs: Inputs, lookedAtMs: number) {
  return watchInputs(project, { ...inputs, files: [...inputs.files, lockNameOf(project)] }, lookedAtMs);
}

/**
 * How the inputs stand for what was made. Files beside the source folder may be known only after compiling; where they are
 * those that were known before, how they stood before counts.
 */
export async function inputsAfter(
  project: Project,
  { spec, locked, base, inputs, config }: ChangedStatus,
): Promise<{ readonly inputs: Inputs; readonly config: string }> {
  const after = await inputsOf(project, spec, { locked, base });
  const isSame = JSON.stringify([after.files, after.listed]) === JSON.stringify([inputs.files, inputs.listed]);
  return isSame ? { inputs, config } : { inputs: after, config: inputsText(project, after) };
}

async function lockedBaseOf(project: Project, spec: FunctionSpec): Promise<LockedBase | undefined> {
  return (await openForm(spec.form)).base?.locked(project, spec);
}

/** Folders whose times moved without a change that counts are remembered as they look now. */
function refreshIndex(project: Project, status: ChangedStatus, index: StatIndex): void {
  const { spec, common, config, inputs, survey, lookedAtMs } = status;
  if (survey.hasLinks) return;
  const digests = index.knownDigests(survey.items);
  const { targets, leftOut } = index;
  const stands = { common, config, watched: watched(project, inputs, lookedAtMs) };
  try {
    writeStatIndex(indexPath(project, spec), { ...stands, targets, survey, leftOut, digests, lookedAtMs });
  } catch {
    // The next look takes a little longer, nothing more.
  }
}

function recordsOf(project: Project): string[] {
  return [`/${ledgerNameOf(project)}`, `/${weightsNameOf(project)}`];
}

/** @param isLocked whether packages come from the lock, so that those installed in the source folder are not wanted */
export function collectRequest(project: Project, spec: FunctionSpec, isLocked: boolean): CollectRequest {
  return {
    projectRoot: project.root,
    source: spec.source,
    entryFile: spec.entry.file,
    // What is recorded beside the sheet, of what was built, must not be in what is built.
    leaveOut: spec.source === '' ? [...spec.leaveOut, ...recordsOf(project)] : spec.leaveOut,
    keep: spec.keep,
    include: spec.include,
    links: spec.links,
    emptyFolders: spec.emptyFolders,
    skip: languageOf(spec.runtime.language).skips?.(isLocked),
  };
}
