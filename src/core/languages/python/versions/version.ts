/** Versions of Python packages: parsing, normal form and order (PEP 440, now the version specifiers specification). */

import { present } from '../../../base/present';

export interface Version {
  readonly epoch: number;
  /** At least one number. */
  readonly release: readonly number[];
  readonly pre?: readonly [phase: 'a' | 'b' | 'rc', number: number];
  readonly post?: number;
  readonly dev?: number;
  readonly local?: readonly (string | number)[];
  /** The normal form: `1.0rc1`, `2!1.0.post3+local.1`. */
  readonly text: string;
}

/** "Appendix B: Parsing version strings with regular expressions". */
const VERSION_PATTERN =
  /^\s*v?(?:(\d+)!)?(\d+(?:\.\d+)*)(?:[-_.]?(alpha|beta|preview|pre|a|b|c|rc)[-_.]?(\d+)?)?(?:-(\d+)|[-_.]?(post|rev|r)[-_.]?(\d+)?)?(?:[-_.]?(dev)[-_.]?(\d+)?)?(?:\+([a-z0-9]+(?:[-_.][a-z0-9]+)*))?\s*$/i;

const PHASES: Readonly<Record<string, 'a' | 'b' | 'rc'>> = {
  a: 'a',
  alpha: 'a',
  b: 'b',
  beta: 'b',
  c: 'rc',
  rc: 'rc',
  pre: 'rc',
  preview: 'rc',
};

/** Longer texts are no versions of anything. */
const MAX_LENGTH = 256;

/** The version a text stands for; undefined for anything else, also for numbers beyond 2^53. */
export function parseVersion(text: string): Version | undefined {
  const match = text.length > MAX_LENGTH ? null : VERSION_PATTERN.exec(text);
  if (match === null) return undefined;
  const [, epoch, release = '', phase, phaseNumber, implicitPost, post, postNumber, dev, devNumber, local] = match;
  const parts = present({
    epoch: Number(epoch ?? 0),
    release: release.split('.').map(Number),
    pre: phase === undefined ? undefined : ([PHASES[phase.toLowerCase()] ?? 'rc', Number(phaseNumber ?? 0)] as const),
    post: postOf(implicitPost ?? postNumber, post ?? implicitPost),
    dev: dev === undefined ? undefined : Number(devNumber ?? 0),
    local: local?.toLowerCase().split(/[-_.]/).map(localPart),
  });
  return isSafe(parts) ? { ...parts, text: format(parts) } : undefined;
}

/** `.post` without a number is the first one. */
function postOf(number: string | undefined, word: string | undefined): number | undefined {
  return word === undefined ? undefined : Number(number ?? 0);
}

function isSafe({ epoch, release, pre, post, dev }: Omit<Version, 'text'>): boolean {
  return [epoch, ...release, pre?.[1] ?? 0, post ?? 0, dev ?? 0].every(Number.isSafeInteger);
}

/** A number where it is one, as the order of local versions wants it. */
function localPart(part: string): string | number {
  return /^\d+$/.test(part) ? Number(part) : part;
}

function format(version: Omit<Version, 'text'>): string {
  return `${publicText(version)}${version.local === undefined ? '' : `+${version.local.join('.')}`}`;
}

function publicText({ epoch, release, pre, post, dev }: Omit<Version, 'text'>): string {
  return [
    epoch === 0 ? '' : `${String(epoch)}!`,
    release.join('.'),
    pre === undefined ? '' : `${pre[0]}${String(pre[1])}`,
    post === undefined ? '' : `.post${String(post)}`,
    dev === undefined ? '' : `.dev${String(dev)}`,
  ].join('');
}

/** The version without its local part. */
export function publicVersion(version: Version): Version {
  if (version.local === undefined) return version;
  const { local: _local, text: _text, ...rest } = version;
  return { ...rest, text: publicText(rest) };
}

/** Whether a version is a pre-release or a development release (version specifiers). */
export function isPrerelease(version: Version): boolean {
  return version.pre !== undefined || version.dev !== undefined;
}

/** Negative where `a` is the earlier. Trailing zeros of the release do not count. */
export function compareVersions(a: Version, b: Version): number {
  return (
    a.epoch - b.epoch ||
    compareRelease(a.release, b.release) ||
    comparePre(a, b) ||
    (a.post ?? -1) - (b.post ?? -1) ||
    (a.dev ?? Infinity) - (b.dev ?? Infinity) ||
    compareLocal(a.local, b.local) ||
    0
  );
}

/** Whether two versions have the same epoch and release, whatever follows. */
export function sameBase(a: Version, b: Version): boolean {
  return a.epoch === b.epoch && compareRelease(a.release, b.release) === 0;
}

/** Orders the release parts of versions, with zeros where one is shorter. */
export function compareRelease(a: readonly number[], b: readonly number[]): number {
  for (let i = 0; i < Math.max(a.length, b.length); i++) {
    const difference = (a[i] ?? 0) - (b[i] ?? 0);
    if (difference !== 0) return difference;
  }
  return 0;
}

/** A development release comes before its pre-releases, a release after them. */
function comparePre(a: Version, b: Version): number {
  const rank = (v: Version): readonly [number, number] => {
    if (v.pre !== undefined) return [['a', 'b', 'rc'].indexOf(v.pre[0]), v.pre[1]];
    return [v.post === undefined && v.dev !== undefined ? -1 : 3, 0];
  };
  const [x, y] = [rank(a), rank(b)];
  return x[0] - y[0] || x[1] - y[1];
}

/** No local part comes first; numbers come after words; a longer one after one it begins with. */
function compareLocal(a: Version['local'], b: Version['local']): number {
  if (a === undefined || b === undefined) return (a === undefined ? 0 : 1) - (b === undefined ? 0 : 1);
  for (let i = 0; i < Math.max(a.length, b.length); i++) {
    const [x, y] = [a[i], b[i]];
    if (x === undefined || y === undefined) return x === undefined ? -1 : 1;
    if (x === y) continue;
    if (typeof x === 'number' && typeof y === 'number') return x - y;
    if (typeof x !== typeof y) return typeof x === 'number' ? 1 : -1;
    return x < y ? -1 : 1;
  }
  return 0;
}
