/** Lock files that installers of the Python world share (`pylock.toml`, PEP 751): read and written. */
import { stringify } from 'smol-toml';
import type { Problem } from '../../../base/errors';
import { printable, percentDecoded } from '../../../base/text';
import type { IndexFile } from '../sources/index-pages';
import { holds, normalizeName, type MarkerEnvironment } from '../versions/marker';
import { readToml } from './pyproject';
import { parseRequirement } from '../versions/requirement';

export interface PylockPackage {
  readonly name: string;
  readonly version: string;
  /** Wheels only; what has none cannot be installed without running its code. */
  readonly files: readonly IndexFile[];
}

/** The packages of a lock file that apply to a target. */
export function readPylock(
  text: string,
  shown: string,
  environment: MarkerEnvironment,
): { readonly packages: readonly PylockPackage[]; readonly problems: readonly Problem[] } {
  const { value, problems } = readToml(text, shown);
  if (value === undefined) return { packages: [], problems };
  const place = { file: shown, line: 1, column: 1 };
  const version = value['lock-version'];
  if (typeof version !== 'string' || !version.startsWith('1.'))
    problems.push({
      place,
      expected: '`lock-version = "1.0"`',
      found: typeof version === 'string' ? `\`${printable(version)}\`` : 'none',
      mend: 'make the file with a tool that writes version 1',
    });
  const packages: PylockPackage[] = [];
  for (const one of Array.isArray(value.packages) ? (value.packages as unknown[]) : []) {
    const read = readPackage(one, environment);
    if (typeof read === 'string')
      problems.push({
        place,
        expected: 'packages with wheels, each with a SHA-256',
        found: read,
        mend: 'make the file anew',
      });
    else if (read !== undefined) packages.push(read);
  }
  return { packages, problems };
}

/** The package, undefined where its marker excludes it, or what is wrong with it. */
function readPackage(value: unknown, environment: MarkerEnvironment): PylockPackage | string | undefined {
  const table = (typeof value === 'object' && value !== null ? value : {}) as Record<string, unknown>;
  const { name, version, marker, wheels } = table;
  if (typeof name !== 'string') return 'a package without a name';
  if (typeof marker === 'string') {
    const reading = parseRequirement(`${name}; ${marker}`);
    if (reading.kind === 'fault') return `the marker \`${printable(marker)}\` of ${printable(name)}`;
    if (reading.requirement.marker !== undefined && !holds(reading.requirement.marker, environment)) return undefined;
  }
  if (typeof version !== 'string') return `${printable(name)} without a version`;
  const files = (Array.isArray(wheels) ? (wheels as unknown[]) : []).flatMap((wheel) => readWheel(wheel) ?? []);
  return files.length === 0
    ? `${printable(name)} without wheels from an address`
    : { name: normalizeName(name), version, files };
}

function readWheel(value: unknown): IndexFile | undefined {
  const { name, url, size, hashes } = (value ?? {}) as Record<string, unknown>;
  const sha256 = typeof hashes === 'object' && hashes !== null && 'sha256' in hashes ? hashes.sha256 : undefined;
  if (typeof url !== 'string' || !/^https?:/.test(url) || !URL.canParse(url)) return undefined;
  if (typeof sha256 !== 'string' || !/^[0-9a-f]{64}$/i.test(sha256)) return undefined;
  const file = typeof name === 'string' ? name : percentDecoded(new URL(url).pathname.split('/').at(-1) ?? '');
  return { file, url, sha256: sha256.toLowerCase(), ...(typeof size === 'number' && { size }) };
}

/** A file as a lock has it: its address, or its path from the project folder. */
export interface PylockFile {
  readonly file: string;
  readonly from: string;
  readonly size: number;
  readonly sha256: string;
}

export interface PylockEntry {
  readonly name: string;
  readonly version: string;
  /** Where it is wanted; everywhere without one. */
  readonly marker?: string;
  readonly wheels: readonly PylockFile[];
  readonly sdist?: PylockFile;
}

export interface PylockFacts {
  readonly requiresPython: string;
  readonly packages: readonly PylockEntry[];
}

/** A lock file's text; the same facts give the same bytes. */
export function formatPylock({ requiresPython, packages }: PylockFacts): string {
  return stringify({
    'lock-version': '1.0',
    'requires-python': requiresPython,
    'created-by': 'emballage',
    packages: packages.map(({ name, version, marker, wheels, sdist }) => ({
      name,
      version,
      ...(marker !== undefined && { marker }),
      ...(sdist !== undefined && { sdist: fileTable(sdist) }),
      ...(wheels.length > 0 && { wheels: wheels.map(fileTable) }),
    })),
  });
}

function fileTable({ file, from, size, sha256 }: PylockFile) {
  const place = /^https?:/.test(from) ? { url: from } : { path: from };
  return { name: file, ...place, size, hashes: { sha256 } };
}
