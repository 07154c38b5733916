/** Paths of files as tracing looks for them. */
import { comparePaths } from '../../../base/paths';

/** Tests of the function itself, by where they lie and what they are called. */
export function isOwnTest(path: string): boolean {
  return /(?:^|\/)(?:tests?|__tests__)\/|\.(?:test|spec)\.[cm]?[jt]sx?$/.test(path);
}

/** Where the first path that is not before another stands in a sorted list. */
export function firstAtLeast(sorted: readonly string[], wanted: string): number {
  let [low, high] = [0, sorted.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (comparePaths(sorted[middle] ?? '', wanted) < 0) low = middle + 1;
    else high = middle;
  }
  return low;
}
