/** The order of versions where they are semantic (Semantic Versioning 2.0.0, 11). */
import compare from 'semver/functions/compare';
import valid from 'semver/functions/valid';

/** Negative where the first is the earlier; what is no version comes first. A `v` before it counts for nothing. */
export function compareSemver(a: string, b: string): number {
  const [x, y] = [valid(a, { loose: true }), valid(b, { loose: true })];
  if (x === null || y === null) return Number(x !== null) - Number(y !== null);
  return compare(x, y);
}

/** Whether a text is a version of Semantic Versioning 2.0.0. */
export function isSemver(text: string): boolean {
  return valid(text, { loose: true }) !== null;
}
