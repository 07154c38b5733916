/** Target frameworks: which of a package's files a function takes ("Target frameworks in SDK-style projects"). */
import { frameworkVersion } from '../published/runtime-config';

export interface Framework {
  readonly family: 'core' | 'standard' | 'classic' | 'any';
  readonly major: number;
  readonly minor: number;
}

const LONGEST = 100;

/** The forms in which a framework is written. */
const FORMS: readonly (readonly [pattern: RegExp, read: (version: string, word: string) => Framework | undefined])[] = [
  [
    /^(\.netcoreapp|\.netstandard|\.netframework)(?:,version=v)?([\d.]+)$/,
    (version, word) => numbered(LONG[word] ?? 'any', version),
  ],
  [/^(netcoreapp)(\d+(?:\.\d+)?)$/, (version) => numbered('core', dotted(version))],
  [/^(netstandard)(\d+(?:\.\d+)?)$/, (version) => numbered('standard', dotted(version))],
  [/^(net)(\d+\.\d+)$/, (version) => numbered(Number.parseInt(version, 10) < 5 ? 'classic' : 'core', version)],
  // `net461` is the one for Windows.
  [/^(net)(\d{2,3})$/, (version) => numbered('classic', dotted(version))],
];

/** In short, `net8.0` and `netstandard2.0`, or at length, `.NETCoreApp,Version=v8.0`; undefined for what no server runs. */
export function parseFramework(text: string): Framework | undefined {
  const plain = text.trim().toLowerCase();
  if (plain === '' || plain === 'any' || plain === 'dotnet') return { family: 'any', major: 0, minor: 0 };
  if (plain.length > LONGEST) return undefined;
  for (const [pattern, read] of FORMS) {
    const [, word, version] = pattern.exec(plain) ?? [];
    if (word !== undefined && version !== undefined) return read(version, word);
  }
  return undefined;
}

const LONG: Readonly<Record<string, Framework['family']>> = {
  '.netcoreapp': 'core',
  '.netstandard': 'standard',
  '.netframework': 'classic',
};

/** `461` is 4.6.1. */
function dotted(text: string): string {
  return text.includes('.') ? text : text.replace(/\d(?=\d)/g, '$&.');
}

function numbered(family: Framework['family'], version: string): Framework {
  const [major = '0', minor = '0'] = version.split('.');
  return { family, major: Number(major), minor: Number(minor) };
}

/** The framework of a runtime of the sheet. @param version `8` */
export function frameworkFor(version: string): Framework {
  return numbered('core', frameworkVersion(version));
}

/** The newest standard that a runtime keeps (".NET Standard versions"). */
function newestStandard({ major }: Framework): number {
  return major >= 3 ? 21 : major === 2 ? 20 : 16;
}

/**
 * How well what is for a framework serves a function: the greater the better; undefined where it does not.
 * What is for .NET Framework 4.6 and later is below zero: it may run, is taken where there is nothing else, and told.
 */
export function fit(theirs: Framework, own: Framework): number | undefined {
  const place = theirs.major * 100 + theirs.minor;
  switch (theirs.family) {
    case 'core':
      return place <= own.major * 100 + own.minor ? 100_000 + place : undefined;
    case 'standard':
      return theirs.major * 10 + theirs.minor <= newestStandard(own) ? 10_000 + place : undefined;
    case 'any':
      return 1;
    case 'classic':
      return theirs.major === 4 && place >= 406 ? place - 100_000 : undefined;
  }
}

/** The best of what there is. @param names folders or groups of a package, as they are called there */
export function nearestFramework<T>(
  all: readonly T[],
  nameOf: (one: T) => string,
  own: Framework,
  isFallback: boolean,
): T | undefined {
  let best: { readonly one: T; readonly points: number } | undefined;
  for (const one of all) {
    const framework = parseFramework(nameOf(one));
    const points = framework === undefined ? undefined : fit(framework, own);
    if (points === undefined || points < 0 !== isFallback) continue;
    if (best === undefined || points > best.points) best = { one, points };
  }
  return best?.one;
}
