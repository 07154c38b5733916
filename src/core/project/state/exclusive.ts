/** One at a time in a project: building, or writing a file that others write too. Who was killed stops counting a few seconds later. */
import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { EmballageError, systemCode } from '../../base/errors';
import { guarded } from '../../disk/write';
import type { StateFolder } from './state';

/** Who holds a lock renews it this often; one that has not been for STALE_MS is taken for dead. */
const RENEW_MS = 1000;
const STALE_MS = 5000;
const POLL_MS = 100;
const PATIENCE_MS = 15 * 60_000;

export interface Exclusive {
  readonly state: StateFolder;
  /** What is done by one at a time. */
  readonly what: 'build' | 'lock' | 'ledger';
  /** Told once when another has to be waited for. */
  onWait?(): void;
}

/** Runs `work` while nobody else in the project does the same; it is told whether another had to be waited for. */
export async function exclusively<T>(request: Exclusive, work: (hasWaited: boolean) => Promise<T> | T): Promise<T> {
  const folder = request.state.path;
  guarded(folder, () => mkdirSync(folder, { recursive: true }));
  const { lock } = await import('proper-lockfile');
  const lockfilePath = join(folder, `${request.what}.lock`);
  const held: { lost: Error | undefined } = { lost: undefined };
  const take = () =>
    lock(folder, {
      lockfilePath,
      realpath: false,
      stale: STALE_MS,
      update: RENEW_MS,
      onCompromised: (error) => (held.lost = error),
    });
  const { release, hasWaited } = await waitFor(take, { ...request, lockfilePath });
  try {
    const result = await work(hasWaited);
    if (held.lost !== undefined)
      throw busy('the lock was lost at it: this process stood still for too long', held.lost);
    return result;
  } finally {
    if (held.lost === undefined) await release().catch(() => undefined);
  }
}

type Release = () => Promise<void>;

async function waitFor(
  take: () => Promise<Release>,
  request: Exclusive & { readonly lockfilePath: string },
): Promise<{ release: Release; hasWaited: boolean }> {
  for (let waitedMs = 0; ; waitedMs += POLL_MS) {
    try {
      return { release: await take(), hasWaited: waitedMs > 0 };
    } catch (error) {
      if (systemCode(error) !== 'ELOCKED') return guarded(request.lockfilePath, () => raise(error));
      if (waitedMs > PATIENCE_MS) throw busy('another has been at it in this project for a quarter of an hour', error);
      if (waitedMs === POLL_MS) request.onWait?.();
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
      doing: 'working in the project',
      expected: 'to be the only one at it',
      found,
      mend: 'let the other command finish, then run this one again',
    },
    cause,
  );
}
