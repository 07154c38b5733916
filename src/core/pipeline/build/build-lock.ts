/** One build at a time in a project. A build that was killed stops counting a few seconds later. */
import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { EmballageError, systemCode } from '../../base/errors';
import { guarded } from '../../disk/write';

/** A running build renews its lock this often; one that has not for STALE_MS is taken for dead. */
const RENEW_MS = 1000;
const STALE_MS = 5000;
const POLL_MS = 100;
const PATIENCE_MS = 15 * 60_000;

export interface LockRequest {
  /** Absolute path of the tool's state folder. */
  readonly stateFolder: string;
  /** Told once when another build has to be waited for. */
  onWait(): void;
}

/** Runs `work` while no other build runs in the project; it is told whether another had to be waited for. */
export async function withBuildLock<T>(request: LockRequest, work: (hasWaited: boolean) => Promise<T>): Promise<T> {
  guarded(request.stateFolder, () => mkdirSync(request.stateFolder, { recursive: true }));
  const { lock } = await import('proper-lockfile');
  const state: { lost: Error | undefined } = { lost: undefined };
  const take = () =>
    lock(request.stateFolder, {
      lockfilePath: join(request.stateFolder, 'build.lock'),
      realpath: false,
      stale: STALE_MS,
      update: RENEW_MS,
      onCompromised: (error) => (state.lost = error),
    });
  const { release, hasWaited } = await waitFor(take, request);
  try {
    const result = await work(hasWaited);
    if (state.lost !== undefined)
      throw busy('the lock was lost while building: this process stood still for too long', state.lost);
    return result;
  } finally {
    if (state.lost === undefined) await release().catch(() => undefined);
  }
}

type Release = () => Promise<void>;

async function waitFor(
  take: () => Promise<Release>,
  request: LockRequest,
): Promise<{ release: Release; hasWaited: boolean }> {
  for (let waitedMs = 0; ; waitedMs += POLL_MS) {
    try {
      return { release: await take(), hasWaited: waitedMs > 0 };
    } catch (error) {
      if (systemCode(error) !== 'ELOCKED') return guarded(request.stateFolder, () => raise(error));
      if (waitedMs > PATIENCE_MS)
        throw busy('another build has been running in this project for a quarter of an hour', error);
      if (waitedMs === POLL_MS) request.onWait();
      await sleep(POLL_MS);
    }
  }
}

function raise(error: unknown): never {
  throw error;
}

function busy(found: string, cause: unknown): EmballageError {
  return new EmballageError(
    'BUILD_BUSY',
    {
      doing: 'building',
      expected: 'to be the only build in the project',
      found,
      mend: 'let the other build finish, then build again',
    },
    cause,
  );
}
