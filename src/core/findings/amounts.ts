/** Amounts and their limits: which counts, and how they are written. */
import { digitGroups } from '../base/text';
import { formatSize } from '../base/units';
import type { Limits } from '../sheet';
import type { Gauge } from './rule';

/** An amount with its unit. */
export function showAmount(amount: number, unit: Gauge['unit']): string {
  return unit === 'bytes' ? formatSize(amount) : digitGroups(amount);
}

/** A share, `80%`. */
export function percent(share: number): string {
  const value = share * 100;
  return `${value >= 10 || value === 0 ? String(Math.floor(value)) : value < 0.1 ? '< 0.1' : value.toFixed(1)} %`;
}

/** The sheet may set a limit below that of the destination. */
export function lowestLimit(
  theirs: Limits | undefined,
  own: Limits | undefined,
  key: keyof Limits,
): { readonly allowed: number; readonly isOwn: boolean } | undefined {
  const [there, here] = [theirs?.[key], own?.[key]];
  if (here !== undefined && here <= (there ?? Infinity)) return { allowed: here, isOwn: true };
  return there === undefined ? undefined : { allowed: there, isOwn: false };
}
