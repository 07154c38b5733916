/** The part of the targets that is one worker's: the same split on every machine, so that nobody has to ask another. */
import { EmballageError } from '../../base/errors';
import { printable } from '../../base/text';
import { targetsOf, type Project, type Target } from '../../project/targets';
import type { FunctionSpec } from '../../sheet';
import { readRecords, recordOf } from '../weigh';
import { lockedFunction } from '../lock';

export interface Part {
  /** From 1. */
  readonly number: number;
  readonly of: number;
}

const MOST_WORKERS = 1000;

/** @param text `2/5` @throws EmballageError USAGE */
export function parsePart(text: string): Part {
  const [, number = '', of = ''] = /^(\d{1,4})\/(\d{1,4})$/.exec(text) ?? [];
  const part = { number: Number(number), of: Number(of) };
  if (number !== '' && part.number >= 1 && part.number <= part.of && part.of <= MOST_WORKERS) return part;
  throw new EmballageError('USAGE', {
    doing: 'reading the command line',
    where: '--part',
    expected: `which worker this is, and of how many, such as \`2/5\`; at most ${String(MOST_WORKERS)}`,
    found: `\`${printable(text)}\``,
    mend: 'number the workers from 1',
  });
}

/** What a target without recorded weight and without packages counts as. */
const LEAST_BYTES = 256 * 1024;

/**
 * The targets of one worker. Each goes to the worker with the least so far, the heaviest first: by recorded weights, or by
 * what the lock says where none are recorded.
 */
export async function targetsOfPart(
  project: Project,
  functions: readonly FunctionSpec[],
  { number, of }: Part,
): Promise<(target: Target) => boolean> {
  const records = await readRecords(project);
  const weighed: Weighed[] = [];
  for (const target of targetsOf(functions))
    weighed.push({ key: keyOf(target), weight: await weightOf(project, records, target) });
  const own = split(weighed, of)[number - 1] ?? new Set();
  return (target) => own.has(keyOf(target));
}

interface Weighed {
  readonly key: string;
  readonly weight: number;
}

/** @returns the keys of each worker */
export function split(all: readonly Weighed[], workers: number): ReadonlySet<string>[] {
  const parts = Array.from({ length: workers }, () => ({ weight: 0, keys: new Set<string>() }));
  const order = [...all].sort((a, b) => b.weight - a.weight || (a.key < b.key ? -1 : 1));
  for (const { key, weight } of order) {
    const lightest = parts.reduce((a, b) => (b.weight < a.weight ? b : a));
    lightest.weight += weight;
    lightest.keys.add(key);
  }
  return parts.map(({ keys }) => keys);
}

function keyOf({ spec, arch }: Target): string {
  return `${spec.name} ${arch}`;
}

async function weightOf(
  project: Project,
  records: Awaited<ReturnType<typeof readRecords>>,
  { spec, arch }: Target,
): Promise<number> {
  const recorded = recordOf(records, spec.name, arch);
  if (recorded !== undefined) return LEAST_BYTES + recorded.record.unpacked;
  const locked = await lockedFunction(project, spec).catch(() => undefined);
  const packages = locked?.targets[arch] ?? [];
  return LEAST_BYTES + packages.reduce((sum, { size }) => sum + size, 0);
}
