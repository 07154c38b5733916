/** The versions of a project that a target can use, each with its best file. */
import { listed } from '../../../base/text';
import type { IndexFile } from './index-pages';
import { fullVersion } from '../versions/environment';
import { fitsAll, parseSpecifiers } from '../versions/specifier';
import { parseSdistName, parseWheelName, targetTags, type PythonTarget } from '../versions/tags';
import { compareVersions, isPrerelease, parseVersion, type Version } from '../versions/version';

export interface Candidate {
  readonly version: Version;
  readonly file: IndexFile;
  readonly kind: 'wheel' | 'sdist';
  readonly isPrerelease: boolean;
  /** There is a wheel of another version; this one is built only where nothing but it will do. */
  readonly isLastResort?: true;
  /** The reason, which may be empty, where the version was yanked. */
  readonly yanked?: string;
}

export interface Project {
  /** Normalised. */
  readonly name: string;
  /** Newest first. */
  readonly candidates: readonly Candidate[];
  /** Versions that the target cannot use, newest first, with why. */
  readonly unusable: readonly { readonly version: Version; readonly why: string }[];
}

interface Ranked {
  readonly file: IndexFile;
  readonly rank: number;
  readonly build: readonly [number, string] | readonly [];
}

interface Release {
  readonly version: Version;
  best?: Ranked;
  sdist?: IndexFile;
  /** What the files that cannot be used ask of Python, and the interpreters that wheels are made for. */
  readonly pythons: Set<string>;
  readonly interpreters: Set<string>;
}

/**
 * @param name normalised
 * @param canBuild whether source distributions may be built
 */
export function projectFor(name: string, files: readonly IndexFile[], target: PythonTarget, canBuild = false): Project {
  const ranks = new Map(targetTags(target).map((tag, i) => [tag, i]));
  const python = parseVersion(fullVersion(target.python));
  const releases = new Map<string, Release>();
  for (const file of files) {
    const wheel = parseWheelName(file.file);
    const version = wheel?.name === name ? wheel.version : parseSdistName(file.file, name)?.version;
    if (version === undefined) continue;
    const release = releases.get(version.text) ?? { version, pythons: new Set(), interpreters: new Set() };
    releases.set(version.text, release);
    const { specifiers, bad } = parseSpecifiers(file.requiresPython ?? '');
    // What cannot be read cannot exclude anything; installers agree on that.
    if (bad === undefined && python !== undefined && !fitsAll(specifiers, python)) {
      release.pythons.add(file.requiresPython ?? '');
    } else if (wheel === undefined) release.sdist = file;
    else considerWheel(release, { file, rank: bestRank(wheel.tags, ranks), build: wheel.build }, wheel.tags);
  }
  return settle(name, [...releases.values()], target, canBuild);
}

function bestRank(tags: readonly string[], ranks: ReadonlyMap<string, number>): number {
  return Math.min(...tags.map((tag) => ranks.get(tag) ?? Infinity));
}

function considerWheel(release: Release, wheel: Ranked, tags: readonly string[]): void {
  if (wheel.rank === Infinity) for (const tag of tags) release.interpreters.add(tag.split('-')[0] ?? '');
  else if (release.best === undefined || isBetter(wheel, release.best)) release.best = wheel;
}

/** A better tag, then a higher build number (PEP 427), then the name, so that there is no tie. */
function isBetter(a: Ranked, b: Ranked): boolean {
  if (a.rank !== b.rank) return a.rank < b.rank;
  const number = (a.build[0] ?? -1) - (b.build[0] ?? -1);
  if (number !== 0) return number > 0;
  const [x, y] = [a.build[1] ?? '', b.build[1] ?? ''];
  return x !== y ? x > y : a.file.file < b.file.file;
}

function settle(name: string, releases: readonly Release[], target: PythonTarget, canBuild: boolean): Project {
  const sorted = [...releases].sort((a, b) => compareVersions(b.version, a.version));
  // Building from source runs the package's own code, so it is the last resort of packages that offer nothing else.
  const useSource =
    canBuild &&
    sorted.every((release) => release.best === undefined && release.pythons.size + release.interpreters.size === 0);
  const candidates: Candidate[] = [];
  const unusable: { version: Version; why: string }[] = [];
  for (const release of sorted) {
    const { version, best, sdist } = release;
    const isOnlySource = canBuild && release.pythons.size + release.interpreters.size === 0;
    const file = best?.file ?? (isOnlySource ? sdist : undefined);
    if (file === undefined) unusable.push({ version, why: whyNot(release, target) });
    else
      candidates.push({
        version,
        file,
        kind: best === undefined ? 'sdist' : 'wheel',
        isPrerelease: isPrerelease(version),
        ...(best === undefined && !useSource && { isLastResort: true }),
        ...(file.yanked !== undefined && { yanked: file.yanked }),
      });
  }
  return { name, candidates, unusable };
}

const SHOWN_INTERPRETERS = 6;

function whyNot({ pythons, interpreters, sdist }: Release, target: PythonTarget): string {
  if (pythons.size > 0) return `wants Python ${listed([...pythons], 'or')}`;
  if (interpreters.size === 0) return sdist === undefined ? 'has no file' : 'has only a source distribution';
  const own = `cp${target.python.split('.').slice(0, 2).join('')}`;
  if (interpreters.has(own) || [...interpreters].some((one) => one.startsWith('py3')))
    return target.glibc === undefined && target.musl === undefined
      ? `has no wheel for ${target.arch} that does without a C library`
      : `has no wheel for ${target.arch} with this C library`;
  const shown = [...interpreters].slice(0, SHOWN_INTERPRETERS);
  return `has wheels for ${listed(shown)}${interpreters.size > shown.length ? ' and others' : ''}, none for ${own}`;
}
