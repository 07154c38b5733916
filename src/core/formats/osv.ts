/** Records of known faults (Open Source Vulnerability format, OSV Schema 1.6), and whether a version has one. */
import { z } from 'zod';

const event = z
  .object({
    introduced: z.string().optional(),
    fixed: z.string().optional(),
    last_affected: z.string().optional(),
    limit: z.string().optional(),
  })
  .refine((one) => Object.values(one).filter((value) => value !== undefined).length === 1, {
    error: 'one of `introduced`, `fixed`, `last_affected` and `limit`',
  });

const range = z.object({
  type: z.enum(['SEMVER', 'ECOSYSTEM', 'GIT'], { error: '`SEMVER`, `ECOSYSTEM` or `GIT`' }),
  events: z.array(event, { error: 'a list of events' }).min(1, { error: 'at least one event' }),
});

const affected = z.object({
  package: z.object({ ecosystem: z.string(), name: z.string() }).optional(),
  ranges: z.array(range, { error: 'a list of ranges' }).optional(),
  versions: z.array(z.string(), { error: 'a list of versions' }).optional(),
  severity: z.array(z.object({ type: z.string(), score: z.string() })).optional(),
  ecosystem_specific: z.looseObject({}).nullish(),
});

export const osvRecord = z.object({
  id: z.string({ error: 'the name of the record' }).min(1),
  withdrawn: z.string().optional(),
  aliases: z.array(z.string()).nullish(),
  summary: z.string().optional(),
  details: z.string().optional(),
  severity: z.array(z.object({ type: z.string(), score: z.string() })).nullish(),
  affected: z.array(affected, { error: 'a list of packages' }).nullish(),
  database_specific: z.looseObject({ severity: z.unknown() }).nullish(),
});

export type OsvRecord = z.output<typeof osvRecord>;
export type OsvAffected = z.output<typeof affected>;
type OsvRange = z.output<typeof range>;

/** How an ecosystem orders its versions. */
export interface VersionOrder {
  readonly compare: (a: string, b: string) => number;
  readonly isVersion: (text: string) => boolean;
}

/** What cannot be a range, in words. */
export class RangeFault extends Error {}

/**
 * Whether a version has the fault (OSV Schema, "Evaluation").
 * @param orders that of the ecosystem, and that of semantic versions
 * @throws RangeFault
 */
export function isAffected(
  version: string,
  { versions = [], ranges = [] }: OsvAffected,
  orders: { readonly ecosystem: VersionOrder; readonly semantic: VersionOrder },
): boolean {
  for (const one of ranges) checkRange(one, orderOf(one, orders));
  return versions.includes(version) || ranges.some((one) => isIn(version, one, orderOf(one, orders)));
}

/** The first version without the fault that comes after one; undefined where none is named. @throws RangeFault */
export function firstFixed(
  version: string,
  { ranges = [] }: OsvAffected,
  orders: { readonly ecosystem: VersionOrder; readonly semantic: VersionOrder },
): string | undefined {
  const found = ranges.flatMap((one) => {
    const order = orderOf(one, orders);
    return one.type === 'GIT' ? [] : one.events.flatMap(({ fixed }) => (fixed === undefined ? [] : [{ fixed, order }]));
  });
  const later = found.filter(({ fixed, order }) => order.compare(fixed, version) > 0);
  return later.sort((a, b) => a.order.compare(a.fixed, b.fixed))[0]?.fixed;
}

function orderOf(
  { type }: OsvRange,
  orders: { readonly ecosystem: VersionOrder; readonly semantic: VersionOrder },
): VersionOrder {
  return type === 'SEMVER' ? orders.semantic : orders.ecosystem;
}

function checkRange({ type, events }: OsvRange, { isVersion }: VersionOrder): void {
  if (type === 'GIT') return;
  if (!events.some(({ introduced }) => introduced !== undefined))
    throw new RangeFault('a range without `introduced`: nothing says where it begins');
  for (const one of events)
    for (const [what, value] of Object.entries(one) as [keyof typeof one, string | undefined][])
      if (value !== undefined && !isVersion(value) && !(what === 'introduced' && value === '0') && value !== '*')
        throw new RangeFault(`\`${what}: ${value}\`, which is no version of that ecosystem`);
}

function isIn(version: string, { type, events }: OsvRange, { compare }: VersionOrder): boolean {
  if (type === 'GIT') return false;
  const limits = events.flatMap(({ limit }) => limit ?? []);
  if (limits.length > 0 && !limits.some((limit) => limit === '*' || compare(version, limit) < 0)) return false;
  const at = (one: OsvRange['events'][number]): string => one.introduced ?? one.fixed ?? one.last_affected ?? '0';
  const order = (a: string, b: string): number =>
    a === '0' || b === '0' ? Number(a !== '0') - Number(b !== '0') : compare(a, b);
  const sorted = events.filter(({ limit }) => limit === undefined).sort((a, b) => order(at(a), at(b)));
  let isIt = false;
  for (const { introduced, fixed, last_affected: last } of sorted) {
    if (introduced !== undefined && (introduced === '0' || compare(version, introduced) >= 0)) isIt = true;
    if (fixed !== undefined && compare(version, fixed) >= 0) isIt = false;
    if (last !== undefined && compare(version, last) > 0) isIt = false;
  }
  return isIt;
}

/** How bad it is: a word where the record has one, or the vector of the newest standard that it scores by. */
export function severityOf(record: OsvRecord, one: OsvAffected): string | undefined {
  const word = record.database_specific?.severity;
  if (typeof word === 'string' && /^[A-Za-z]{3,12}$/.test(word)) return word.toLowerCase();
  const scored = [...(one.severity ?? []), ...(record.severity ?? [])].sort((a, b) => (a.type < b.type ? 1 : -1));
  return scored[0]?.score;
}

/** Names of the modules that have it, where an ecosystem's records say so: paths of imports, or of functions. */
export function modulesOf({ ecosystem_specific: specific }: OsvAffected): string[] {
  const imports = Array.isArray(specific?.imports) ? (specific.imports as unknown[]) : [];
  const paths = imports.flatMap((one) => {
    const path = typeof one === 'object' && one !== null ? (one as { path?: unknown }).path : undefined;
    return typeof path === 'string' ? [path] : [];
  });
  const affects = (specific?.affects ?? undefined) as { functions?: unknown } | undefined;
  const functions = Array.isArray(affects?.functions) ? affects.functions : [];
  return [...paths, ...functions.filter((one) => typeof one === 'string')];
}
