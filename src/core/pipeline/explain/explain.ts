/** Why files are in an artifact: the chain of those who asked, from the entry on, as the waybill has it. */
import { comparePaths } from '../../base/paths';
import type { Waybill, WaybillFile } from '../../waybill';

/** One link of a chain: a file, and why it is there. */
export interface ChainLink {
  readonly path: string;
  readonly reason: WaybillFile['reason'];
  readonly origin: WaybillFile['origin'];
}

export interface Explained {
  readonly path: string;
  readonly size: number;
  /** The linked file that it is in; undefined for a file of its own. */
  readonly inside?: string;
  /** From the first that is known to the file itself. */
  readonly chain: readonly ChainLink[];
}

const MAX_LINKS = 200;

/** @param matches which paths are asked about */
export function explain(waybill: Waybill, matches: (path: string) => boolean): Explained[] {
  const known = new Map<string, ChainLink>();
  for (const { path, reason, origin } of [...waybill.files, ...waybill.modules])
    known.set(path, { path, reason, origin });
  // A compiled file is asked for under the name of its source.
  for (const link of waybill.files) for (const name of sourceNames(link)) if (!known.has(name)) known.set(name, link);
  const linked = waybill.entry.loads.file;
  const all = [
    ...waybill.files.map(({ path, size }) => ({ path, size })),
    ...waybill.modules.map(({ path, size }) => ({ path, size, inside: linked })),
  ];
  return all
    .filter(({ path }) => matches(path))
    .sort((a, b) => comparePaths(a.path, b.path))
    .map((one) => ({ ...one, chain: chainTo(one.path, known) }));
}

function sourceNames({ path, origin }: ChainLink): string[] {
  const stem = path.replace(/\.[cm]?js$/, '');
  return stem === path || origin.from !== 'source'
    ? []
    : ['.ts', '.tsx', '.mts', '.cts', '.jsx'].map((ending) => stem + ending);
}

function chainTo(path: string, known: ReadonlyMap<string, ChainLink>): ChainLink[] {
  const chain: ChainLink[] = [];
  const seen = new Set<string>();
  for (let at = known.get(path); at !== undefined && !seen.has(at.path) && chain.length < MAX_LINKS;) {
    seen.add(at.path);
    chain.unshift(at);
    at = known.get(askerOf(at.reason));
  }
  return chain;
}

/** The file that asked, where a file did; `lib/a.js:12` is a place in one. */
function askerOf(reason: WaybillFile['reason']): string {
  if (!('by' in reason) || typeof reason.by !== 'string') return '';
  return reason.why === 'kept-whole' ? reason.by.replace(/:\d+$/, '') : reason.by;
}
