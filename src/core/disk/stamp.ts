/** What the system says of a file without reading it; when none of it has changed, neither has the content. */
import type { Stats } from 'node:fs';

/** Size in bytes, times in milliseconds with fractions, inode number. A change of content or mode changes `ctimeMs`. */
export interface Stamp {
  readonly size: number;
  readonly mtimeMs: number;
  readonly ctimeMs: number;
  readonly ino: number;
}

/** Size, times (milliseconds since 1970) and inode of what was looked at. */
export function stampOf(stat: Stats): Stamp {
  return { size: stat.size, mtimeMs: stat.mtimeMs, ctimeMs: stat.ctimeMs, ino: stat.ino };
}

/** Whether two looks show the same file, unchanged. */
export function sameStamp(a: Stamp, b: Stamp): boolean {
  return a.size === b.size && a.mtimeMs === b.mtimeMs && a.ctimeMs === b.ctimeMs && a.ino === b.ino;
}

/** Clocks of file systems tick in steps of up to this long. */
const TICK_MS = 20;
/** Some file systems keep whole seconds, in steps of two. */
const COARSE_TICK_MS = 2000;

/**
 * Whether a file may have been changed again after it was looked at without its times showing it: they are as late as
 * the look itself. Such a stamp must not be trusted later.
 * @param lookedAtMs when the look began, milliseconds since 1970
 */
export function isRacy(stamp: Stamp, lookedAtMs: number): boolean {
  const coarse = stamp.ctimeMs % 1000 === 0 && stamp.mtimeMs % 1000 === 0;
  return Math.max(stamp.ctimeMs, stamp.mtimeMs) >= lookedAtMs - (coarse ? COARSE_TICK_MS : TICK_MS);
}
