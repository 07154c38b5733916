/** What versions of Node.js can do, where that changes what is packed. */
// By the piece: the whole takes a while to load.
import gte from 'semver/functions/gte';
import satisfies from 'semver/functions/satisfies';
import minVersion from 'semver/ranges/min-version';
import validRange from 'semver/ranges/valid';

/** `require` of ES modules works from these on; later major versions have it from the start. */
const REQUIRES_ESM = ['20.19.0', '22.12.0'] as const;

/** @param patch the exact version where it is known; the latest of the major version otherwise */
export function requiresEsm(major: number, patch: string | undefined): boolean {
  const first = REQUIRES_ESM.find((version) => Number(version.split('.')[0]) === major);
  if (first === undefined) return major > 22;
  return patch === undefined || gte(patch, first);
}

/** Whether a package's `engines` allow a version. */
export function allowsEngine(range: string, major: number, patch: string | undefined): boolean {
  if (validRange(range) === null) return true;
  // An unknown patch level is taken as late as there may be one.
  return satisfies(patch ?? `${String(major)}.999.999`, range, { includePrerelease: true });
}

/** The lowest major version that a range allows, for advice. */
export function lowestMajor(range: string): number | undefined {
  return validRange(range) === null ? undefined : (minVersion(range)?.major ?? undefined);
}
