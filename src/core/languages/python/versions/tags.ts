/**
 * Which wheels a target can use, best first (PEP 425 tags, PEP 600 manylinux, PEP 656 musllinux), and wheel file names
 * (PEP 427, now the binary distribution format). Follows the order that the reference implementation gives.
 */
import type { Arch } from '../../../sheet';
import { normalizeName } from './marker';
import { parseVersion, type Version } from './version';

export interface PythonTarget {
  readonly arch: Arch;
  /** `3.11`. */
  readonly python: string;
  /** Version of the GNU C library, or of musl; neither where only pure wheels will do. */
  readonly glibc?: string;
  readonly musl?: string;
}

export interface WheelName {
  /** Normalised. */
  readonly name: string;
  readonly version: Version;
  /** Build number and rest; `[]` where there is none, which comes first. */
  readonly build: readonly [number, string] | readonly [];
  readonly tags: readonly string[];
}

/** The name of each architecture in platform tags. */
export const MACHINES: Readonly<Record<Arch, string>> = { x86_64: 'x86_64', arm64: 'aarch64' };

/** Names that platforms had before PEP 600, by version of the GNU C library. */
const OLD_PLATFORMS: Readonly<Record<string, string>> = {
  '2.17': 'manylinux2014',
  '2.12': 'manylinux2010',
  '2.5': 'manylinux1',
};
/** Below these no wheel for the architecture was ever made. */
const OLDEST_GLIBC_MINOR: Readonly<Record<Arch, number>> = { x86_64: 5, arm64: 17 };

/** All tags that a target takes, the best first. */
export function targetTags(target: PythonTarget): string[] {
  const [major = 3, minor = 0] = target.python.split('.').map(Number);
  const platforms = platformTags(target);
  const own = `cp${String(major)}${String(minor)}`;
  const onPlatforms = (interpreter: string, abi: string): string[] =>
    platforms.map((platform) => `${interpreter}-${abi}-${platform}`);
  const older = Array.from({ length: Math.max(0, minor - 2) }, (_, i) => `cp${String(major)}${String(minor - 1 - i)}`);
  const generic = [
    `py${String(major)}${String(minor)}`,
    `py${String(major)}`,
    ...Array.from({ length: minor }, (_, i) => `py${String(major)}${String(minor - 1 - i)}`),
  ];
  return [
    ...onPlatforms(own, own),
    ...onPlatforms(own, 'abi3'),
    ...onPlatforms(own, 'none'),
    ...older.flatMap((interpreter) => onPlatforms(interpreter, 'abi3')),
    ...generic.flatMap((interpreter) => onPlatforms(interpreter, 'none')),
    `${own}-none-any`,
    ...generic.map((interpreter) => `${interpreter}-none-any`),
  ];
}

/** `manylinux_2_36_aarch64` and all older ones, then `linux_aarch64`. */
function platformTags({ arch, glibc, musl }: PythonTarget): string[] {
  const machine = MACHINES[arch];
  const tags: string[] = [];
  if (glibc !== undefined) {
    const [major = 2, minor = 0] = glibc.split('.').map(Number);
    for (let m = minor; major === 2 && m >= OLDEST_GLIBC_MINOR[arch]; m--) {
      tags.push(`manylinux_2_${String(m)}_${machine}`);
      const old = OLD_PLATFORMS[`2.${String(m)}`];
      if (old !== undefined && (arch === 'x86_64' || m >= 17)) tags.push(`${old}_${machine}`);
    }
  }
  if (musl !== undefined) {
    const [major = 1, minor = 0] = musl.split('.').map(Number);
    for (let m = minor; m >= 0; m--) tags.push(`musllinux_${String(major)}_${String(m)}_${machine}`);
  }
  return glibc === undefined && musl === undefined ? [] : [...tags, `linux_${machine}`];
}

/** The parts of a wheel's file name; undefined where it is none. */
export function parseWheelName(file: string): WheelName | undefined {
  if (!file.endsWith('.whl')) return undefined;
  const parts = file.slice(0, -'.whl'.length).split('-');
  if (parts.length !== 5 && parts.length !== 6) return undefined;
  const [name = '', versionText = ''] = parts;
  const version = parseVersion(versionText.replaceAll('_', '-'));
  const build = parts.length === 6 ? /^(\d+)(.*)$/.exec(parts[2] ?? '') : undefined;
  if (version === undefined || build === null || !/^[\w.]+$/.test(name) || name.includes('__')) return undefined;
  const number: WheelName['build'] = build === undefined ? [] : [Number(build[1]), build[2] ?? ''];
  return { name: normalizeName(name), version, build: number, tags: expandTags(parts.slice(-3)) };
}

/** Compressed sets of tags (PEP 425): `py2.py3-none-any` is two tags. */
function expandTags([interpreters = '', abis = '', platforms = '']: readonly string[]): string[] {
  return interpreters
    .split('.')
    .flatMap((i) => abis.split('.').flatMap((a) => platforms.split('.').map((p) => `${i}-${a}-${p}`.toLowerCase())));
}

/** Name and version of a source distribution's file name (PEP 625, and the looser names before it). */
export function parseSdistName(file: string, project: string): { readonly version: Version } | undefined {
  const [, stem] = /^(.+)\.(?:tar\.gz|zip)$/i.exec(file) ?? [];
  if (stem === undefined) return undefined;
  for (let at = stem.indexOf('-'); at >= 0; at = stem.indexOf('-', at + 1)) {
    if (normalizeName(stem.slice(0, at)) !== project) continue;
    const version = parseVersion(stem.slice(at + 1));
    if (version !== undefined) return { version };
  }
  return undefined;
}
