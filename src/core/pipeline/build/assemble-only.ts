/** The files that a target would have, put together without packing them: for those who ask what another sheet would give. */
import { collect, surveySource } from '../../fileset/collect';
import { workOf, type Assembly } from '../../languages';
import type { Target } from '../../project/targets';
import { lockedFunction } from '../lock';
import { collectRequest } from './careful-status';
import { EPOCH_FLOOR_SECONDS } from './epoch';
import type { BuildRequest } from './model';

export type AssembleOnlyRequest = Pick<BuildRequest, 'project' | 'http' | 'machine' | 'jobs' | 'epochSeconds'>;

/** The file set of a target as building it would make it, without making it. */
export async function assembleOnly(request: AssembleOnlyRequest, { spec, arch }: Target): Promise<Assembly> {
  const { project, http, machine, jobs, epochSeconds = EPOCH_FLOOR_SECONDS } = request;
  const locked = await lockedFunction(project, spec);
  const collecting = collectRequest(project, spec, locked !== undefined);
  const own = collect(collecting, surveySource(collecting));
  const work = await workOf(spec);
  return work.assemble(
    {
      project,
      spec,
      arch,
      locked,
      packages: locked?.targets[arch] ?? [],
      http,
      machine,
      jobs,
      epochSeconds,
      knownDigests: new Map(),
      onCompiling: () => undefined,
    },
    own,
  );
}
