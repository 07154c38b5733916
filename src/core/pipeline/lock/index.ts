/** Settling what functions need. */
export { lockedFunction, statedNeeds } from './locked';
export type { LockedChange, LockOutcome, LockRequest } from './model';
import type { LockOutcome, LockRequest } from './model';

export async function lockFunctions(request: LockRequest): Promise<LockOutcome[]> {
  return (await import('./lock')).lockFunctions(request);
}
