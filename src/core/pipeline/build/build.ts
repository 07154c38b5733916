/** Builds functions: those whose folder looks as it did are done by a look; the others are made again. */
import { goingOn } from '../../findings/failure';
import { lookForChange } from './look';
import type { BuildRequest, BuiltFunction, Look } from './model';

/**
 * Builds functions; artifacts and waybills appear whole or not at all.
 * @throws EmballageError of the first target that cannot be built, unless failures are told and the others go on
 */
export async function build(request: BuildRequest): Promise<BuiltFunction[]> {
  const quick = await lookAtAll(request);
  const unchanged = quick.flatMap((look) => (look.unchanged === undefined ? [] : [look.unchanged]));
  if (unchanged.length === quick.length) return unchanged;
  const [{ exclusively }, { makeFunctions }] = await Promise.all([import('../../project/exclusive'), import('./make')]);
  const alone = {
    state: request.project.state,
    what: 'build' as const,
    onWait: () => request.onEvent({ kind: 'waiting' }),
  };
  return exclusively(alone, async (hasWaited) => {
    // Another build may have done the work while this one waited for the lock; then everything is looked at afresh.
    const looks = hasWaited ? await lookAtAll(request) : quick;
    return makeFunctions(request, looks);
  });
}

async function lookAtAll(request: BuildRequest): Promise<Look[]> {
  const looks: Look[] = [];
  for (const spec of request.functions) {
    const look = await goingOn(spec.name, request.onFailure, () => lookForChange(request, spec));
    if (look !== undefined) looks.push(look);
  }
  return looks;
}
