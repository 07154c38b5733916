/** What is built has to be of the sources as they are, before it goes to others. */
import { EmballageError } from '../core/base/errors';
import { isOnlyTouched, lookForChange } from '../core/pipeline/build';
import type { Project } from '../core/project/targets';
import type { FunctionSpec } from '../core/sheet';
import { TOOL } from './program';
import type { Session } from './session/session';

/** @throws EmballageError ARTIFACT_MISSING */
export async function refuseOutdated(
  project: Project,
  spec: FunctionSpec,
  doing: string,
  session: Session,
): Promise<void> {
  const epochSeconds = session.epochSeconds();
  const request = {
    project,
    now: () => session.now(),
    tool: TOOL,
    ...(epochSeconds !== undefined && { epochSeconds }),
  };
  const look = await lookForChange(request, spec);
  if (look.unchanged !== undefined || (await isOnlyTouched(request, look))) return;
  throw new EmballageError('ARTIFACT_MISSING', {
    doing,
    expected: 'an artifact built from the source as it is now',
    found: 'none, or one from before a change',
    mend: `run \`${session.command(`build ${spec.name}`)}\``,
  });
}
