/** A function at which a command fails, while it goes on with the others. */
import { EmballageError, type ErrorCode } from '../base/errors';

export interface FunctionFailure {
  readonly name: string;
  readonly error: EmballageError;
}

/** What would fail for every function alike. */
const FOR_ALL: readonly ErrorCode[] = ['DISK_FULL', 'DISK_FAILED', 'BUILD_BUSY', 'LOCK_INVALID', 'SOURCE_UNREACHABLE'];

/**
 * Does something for a function; where that fails for a reason of its own, tells so and gives nothing.
 * @param tell without it every failure is thrown
 */
export async function goingOn<T>(
  name: string,
  tell: ((failure: FunctionFailure) => void) | undefined,
  work: () => Promise<T>,
): Promise<T | undefined> {
  try {
    return await work();
  } catch (error) {
    if (tell === undefined || !(error instanceof EmballageError) || FOR_ALL.includes(error.code)) throw error;
    tell({ name, error });
    return undefined;
  }
}
