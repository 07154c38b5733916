/** Where the files of an artifact come from, as its waybill says. */
import type { Waybill, WaybillFile } from '../waybill';

export type Origin = WaybillFile['origin']['from'];

/** Paths of the files of such origins; none where nothing is recorded. */
export function filesFrom(waybill: Waybill | undefined, ...origins: readonly Origin[]): ReadonlySet<string> {
  const files = waybill?.files.filter(({ origin }) => origins.includes(origin.from)) ?? [];
  return new Set(files.map(({ path }) => path));
}
