/** Which texts are known to be as their format wants them: the schema library need not be loaded to see again. */
import { KINDS, type StateFolder } from './state/state';

/** Whether a text of that digest is known to be as its format wants it. */
export function isVerified(state: StateFolder, digest: string): boolean {
  return state.recall(KINDS.verified, digest) === true;
}

/** Remembers that a text of that digest is as its format wants it. */
export function noteVerified(state: StateFolder, digest: string): void {
  try {
    state.remember(KINDS.verified, digest, true);
  } catch {
    // It is verified again next time.
  }
}
