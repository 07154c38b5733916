/** Settling what functions need. */
export { lockedFunction, statedNeeds } from './locked';
export type { LockedChange, LockOutcome, LockRequest } from './model';
import type { LockOutcome, LockRequest } from './model';

/** Settles what functions need and writes the lock. Loaded when it is called. @throws EmballageError */
export async function lockFunctions(request: LockRequest): Promise<LockOutcome[]> {
  return (await import('./lock')).lockFunctions(request);
}
