/** Builds functions: those whose folder looks as it did are done by a look; the others are made again. */
import { present } from '../../base/present';
import { goingOn } from '../../findings/failure';
import { openForm, type PartsWork } from '../../forms';
import type { Target } from '../../project/targets';
import type { FunctionSpec } from '../../sheet';
import { lookForChange } from './status';
import type { BuildRequest, BuiltFunction, BuiltTarget, BuildStatus } from './model';

/**
 * Builds functions; artifacts and waybills appear whole or not at all.
 * @throws EmballageError of the first target that cannot be built, unless failures are told and the others go on
 */
export async function build(request: BuildRequest): Promise<BuiltFunction[]> {
  return withArchives(request, await buildChanged(request));
}

async function buildChanged(request: BuildRequest): Promise<BuiltFunction[]> {
  const quick = await lookAtAll(request);
  const unchanged = quick.flatMap((status) => (status.unchanged === undefined ? [] : [status.unchanged]));
  if (unchanged.length === quick.length) return unchanged;
  const { makeFunctions } = await import('./make');
  return alone(request, async (hasWaited) => {
    // Another build may have done the work while this one waited for the lock; then everything is looked at afresh.
    const statuses = hasWaited ? await lookAtAll(request) : quick;
    return makeFunctions(request, statuses);
  });
}

/** What is sent in parts as one file too, where that is asked for. */
async function withArchives(request: BuildRequest, built: BuiltFunction[]): Promise<BuiltFunction[]> {
  const { project, functions, isArchived = false } = request;
  const wanted = new Map(
    functions
      .filter(({ form, isArchived: isAsked }) => form.isLayered === true && (isArchived || isAsked === true))
      .map((spec) => [spec.name, spec]),
  );
  if (wanted.size === 0) return built;
  const sent: { readonly made: BuiltTarget; readonly target: Target; readonly parts: PartsWork }[] = [];
  for (const made of built.flatMap(({ targets }) => targets)) {
    const target = targetOf(wanted, made);
    const { parts } = target === undefined ? {} : await openForm(target.spec.form);
    if (target !== undefined && parts !== undefined) sent.push({ made, target, parts });
  }
  const lacking = sent.filter(({ target, parts }) => !parts.isOneFileThere(project, target));
  if (lacking.length > 0)
    await alone(request, async () => {
      for (const { target, parts } of lacking) {
        request.onEvent({ kind: 'archiving', name: target.spec.name, arch: target.arch });
        await parts.oneFile(project, target);
      }
    });
  const archives = new Map(sent.map(({ made, target, parts }) => [made, parts.oneFilePath(target)]));
  return built.map((one) => ({
    ...one,
    targets: one.targets.map((made) => ({ ...made, ...present({ archive: archives.get(made) }) })),
  }));
}

function targetOf(wanted: ReadonlyMap<string, FunctionSpec>, { name, arch }: BuiltTarget): Target | undefined {
  const spec = wanted.get(name);
  return spec === undefined ? undefined : { spec, arch };
}

/** Nobody else builds in this project meanwhile. */
async function alone<T>({ project, onEvent }: BuildRequest, work: (hasWaited: boolean) => Promise<T>): Promise<T> {
  const { exclusively } = await import('../../project/state/exclusive');
  return exclusively({ state: project.state, what: 'build', onWait: () => onEvent({ kind: 'waiting' }) }, work);
}

async function lookAtAll(request: BuildRequest): Promise<BuildStatus[]> {
  const statuses: BuildStatus[] = [];
  for (const spec of request.functions) {
    const status = await goingOn(spec.name, request.onFailure, () => lookForChange(request, spec));
    if (status !== undefined) statuses.push(status);
  }
  return statuses;
}
