/** Reads `Cargo.lock`: the crates that a Rust package needs, with their digests (formats 1 to 4). */
import { parse, TomlError } from 'smol-toml';
import type { Problem } from '../../../base/errors';
import { printable } from '../../../base/text';

export interface LockedCrate {
  readonly name: string;
  readonly version: string;
  /** SHA-256 of its file, in hexadecimal. */
  readonly sha256: string;
  /** Names of the packages that ask for it. */
  readonly by: readonly string[];
  /** The registry that the lock names: `registry+https://…`, `sparse+https://…`. */
  readonly registry: string;
}

export interface CargoLock {
  readonly crates: readonly LockedCrate[];
  /** Names of the packages of the project itself. */
  readonly own: readonly string[];
  readonly problems: readonly Problem[];
}

interface Row {
  readonly name: string;
  readonly version: string;
  readonly source?: string;
  readonly checksum?: string;
  readonly dependencies?: readonly string[];
}

/** @param shown the file's name, for messages */
export function readCargoLock(text: string, shown: string): CargoLock {
  let rows: readonly Row[];
  let metadata: Readonly<Record<string, unknown>>;
  try {
    const table = parse(text);
    rows = (Array.isArray(table.package) ? (table.package as unknown[]) : []).filter(isRow);
    metadata = typeof table.metadata === 'object' ? (table.metadata as Record<string, unknown>) : {};
  } catch (error) {
    const { line, column } = error instanceof TomlError ? error : { line: 1, column: 1 };
    const found = error instanceof Error ? (error.message.split('\n')[0] ?? '') : '';
    return {
      crates: [],
      own: [],
      problems: [problem(shown, line, column, 'TOML', printable(found), 'let Cargo write it anew')],
    };
  }
  const lines = text.split('\n');
  const problems: Problem[] = [];
  const crates = rows.flatMap((row): LockedCrate[] => {
    if (row.source === undefined) return [];
    // Format 1 keeps digests in a table of their own.
    const sha256 = row.checksum ?? metadata[`checksum ${row.name} ${row.version} (${row.source})`];
    if (row.source.startsWith('registry+') || row.source.startsWith('sparse+'))
      if (typeof sha256 === 'string' && /^[0-9a-f]{64}$/.test(sha256))
        return [{ name: row.name, version: row.version, sha256, by: askers(rows, row), registry: row.source }];
    const line = 1 + lines.findIndex((one) => one.trim() === `name = "${row.name}"`);
    problems.push(
      problem(
        shown,
        line,
        1,
        'a crate of a registry, with its checksum',
        `\`${printable(row.name)}\` from ${printable(row.source)}`,
        'put the crates into the project with `cargo vendor`, and commit what it tells for `.cargo/config.toml`',
      ),
    );
    return [];
  });
  return { crates, own: rows.filter(({ source }) => source === undefined).map(({ name }) => name), problems };
}

function problem(file: string, line: number, column: number, expected: string, found: string, mend: string): Problem {
  return { place: { file, line, column }, expected, found, mend };
}

function isRow(value: unknown): value is Row {
  if (typeof value !== 'object' || value === null) return false;
  const row = value as Record<string, unknown>;
  const isTextOrNone = (one: unknown): boolean => one === undefined || typeof one === 'string';
  if (![row.source, row.checksum].every(isTextOrNone)) return false;
  const asked: unknown = row.dependencies ?? [];
  if (!Array.isArray(asked) || !asked.every((one) => typeof one === 'string')) return false;
  return [row.name, row.version].every((one) => typeof one === 'string' && /^[\w.+-]+$/.test(one));
}

/** A dependency is written as a name, with its version where there are several, and its source where those are the same. */
function askers(rows: readonly Row[], { name, version }: Row): string[] {
  const edges = (text: string): boolean => {
    const [wanted, wantedVersion = version] = text.split(' ');
    return wanted === name && wantedVersion === version;
  };
  return [...new Set(rows.filter((row) => row.dependencies?.some(edges) === true).map((row) => row.name))].sort();
}
