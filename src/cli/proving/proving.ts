/** Places to build again in, and what builds there. */
import { makeScratch, removeScratch } from '../../core/disk/scratch';
import { findMeans, rebuilder, type FilesToCopy } from '../../core/pipeline/prove';
import type { Project } from '../../core/project/targets';
import type { FunctionSpec } from '../../core/sheet';
import { removeLeftClocks } from '../../core/toolchains/faked-clock';
import { userCaches } from '../session/machine';
import { withScratch } from '../session/scratch';
import type { Session } from '../session/session';

/** A folder for builds, and one on another file system, where there is one; both are removed. */
export function withPlaces<T>(session: Session, use: (places: Places) => Promise<T>): Promise<T> {
  return withScratch('prove', async (base) => {
    const begunMs = session.now();
    const means = await findMeans(session.machine(), base);
    const otherBase = means.otherDisk === undefined ? undefined : makeScratch('prove', means.otherDisk);
    const cleanUp = (): void => {
      if (otherBase !== undefined) removeScratch(otherBase);
      removeLeftClocks(begunMs);
    };
    process.once('exit', cleanUp);
    try {
      return await use({ base, otherBase, means });
    } finally {
      process.removeListener('exit', cleanUp);
      cleanUp();
    }
  });
}

export interface Places {
  readonly base: string;
  readonly otherBase: string | undefined;
  readonly means: Awaited<ReturnType<typeof findMeans>>;
}

/** What builds functions again in changed surroundings, and shows that it does. */
export function rebuilderFor(
  project: Project,
  functions: readonly FunctionSpec[],
  { base, otherBase, means }: Places,
  session: Session,
  plan: FilesToCopy,
) {
  const offline = session.offline ? ['--offline'] : [];
  return rebuilder({
    project,
    functions,
    base,
    otherBase,
    means,
    plan,
    machine: session.machine(),
    caches: userCaches(),
    script: (sheet, names, jobs) => [
      ...[process.argv[1] ?? '', 'build', ...names, '--sheet', sheet, '--json', ...offline],
      ...(jobs === undefined ? [] : ['--jobs', String(jobs)]),
    ],
    onBuild: (on) => session.progress.show(`building again: ${on.map(({ id }) => id).join(', ')}`),
  });
}
