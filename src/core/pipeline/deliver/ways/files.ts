/** The files of a load, and what of a delivery they were: what all ways that know nothing but files share. */
import { PAPER_KINDS, PAPERS } from '../../../project/papers';
import type { Delivery } from '../ledger';
import { digestOfAll, type Payload, type PayloadFile } from '../payload';
import { NOTHING_LEFT, type Drift, type DeliveryStatus, type Placed, type SentBlob, type TakenBack } from './way';

/** What the place of a waybill ends in, behind that of its artifact. */
export const WAYBILL_ENDING = '.waybill.json';

/** One file that is sent. */
export interface FileToSend extends PayloadFile {
  /** `artifact arm64`, `waybill arm64`, `surge-model`. */
  readonly name: string;
  readonly arch: string;
  /** `.zip`, `.waybill.json`. */
  readonly ending: string;
  /** For a waybill: the digest of its artifact, beside which it lies. */
  readonly of?: string;
  readonly kind: 'artifact' | 'waybill' | 'paper' | 'beside';
}

/** All files of a payload, in the order in which they are sent. */
export function filesOf({ parts, beside, ending }: Payload): FileToSend[] {
  const data = beside.map((one) => ({
    ...one,
    kind: 'beside' as const,
    arch: '',
  }));
  const own = parts.flatMap(({ arch, waybill, papers, ...part }) => [
    { ...part, name: `artifact ${arch}`, arch, ending, kind: 'artifact' as const },
    {
      ...waybill,
      name: `waybill ${arch}`,
      arch,
      ending: `${ending}${WAYBILL_ENDING}`,
      kind: 'waybill' as const,
      of: part.sha256,
    },
    ...papers.map((paper) => ({
      ...paper,
      name: `${PAPERS[paper.kind].title} ${arch}`,
      arch,
      ending: `${ending}${PAPERS[paper.kind].ending}`,
      kind: 'paper' as const,
      of: part.sha256,
    })),
  ]);
  // Data, waybills and papers first: an artifact is never there without them.
  return [...data, ...own.filter(({ kind }) => kind !== 'artifact'), ...own.filter(({ kind }) => kind === 'artifact')];
}

/** What differs from the newest delivery, for a way that is not told of settings. */
export function lookAtFiles(
  payload: Payload,
  last: Delivery | undefined,
  missing: readonly FileToSend[],
  seen?: unknown,
): DeliveryStatus {
  const drifts = digestDrifts(payload, last);
  const gone = missing.filter(({ name }) => !drifts.some(({ what }) => what === name));
  const all = [
    ...drifts,
    ...gone.map(({ name, sha256 }) => ({ what: name, here: shortDigest(sha256), there: 'nothing' })),
  ];
  return { what: all.length === 0 ? 'nothing' : 'code', drifts: all, seen };
}

/** Artifacts and data that are others than those of the newest delivery. */
export function digestDrifts({ parts, beside }: Payload, last: Delivery | undefined): Drift[] {
  return driftsIn([
    ...parts.map(({ arch, sha256 }) => ({ what: `artifact ${arch}`, sha256, before: last?.artifacts[arch] })),
    ...beside.map(({ name, sha256 }) => ({ what: name, sha256, before: last?.beside?.[name]?.digest })),
    ...paperDigests(parts, last),
  ]);
}

interface DigestRow {
  readonly what: string;
  readonly sha256: string;
  /** `sha256:…`, in the newest delivery. */
  readonly before: string | undefined;
}

function driftsIn(rows: readonly DigestRow[]): Drift[] {
  return rows
    .filter(({ sha256, before }) => before !== `sha256:${sha256}`)
    .map(({ what, sha256, before }) => ({
      what,
      here: shortDigest(sha256),
      there: before === undefined ? 'nothing' : shortDigest(before.slice(7)),
    }));
}

function paperDigests(parts: Payload['parts'], last: Delivery | undefined): DigestRow[] {
  return parts.flatMap(({ arch, papers }) =>
    papers.map(({ kind, sha256 }) => ({
      what: `${PAPERS[kind].title} ${arch}`,
      sha256,
      before: last?.papers?.[arch]?.[kind],
    })),
  );
}

/** Papers that are others than those of the newest delivery. */
export function paperDrifts({ parts }: Payload, last: Delivery | undefined): Drift[] {
  return driftsIn(paperDigests(parts, last));
}

/** The beginning of a digest, for people. */
export function shortDigest(sha256: string): string {
  return `sha256 ${sha256.slice(0, 12)}`;
}

/** Where files came to lie. @param locations of each file */
export function placedFiles(
  payload: Payload,
  files: readonly FileToSend[],
  { locationOf, blobs }: { readonly locationOf: (file: FileToSend) => string; readonly blobs: readonly SentBlob[] },
): Placed {
  const of = (kind: FileToSend['kind']): FileToSend[] => files.filter((one) => one.kind === kind);
  const beside = of('beside').map((one) => [one.name, { digest: `sha256:${one.sha256}`, location: locationOf(one) }]);
  return {
    digest: digestOfAll(payload.parts),
    locations: Object.fromEntries(of('artifact').map((one) => [one.arch, locationOf(one)])),
    ...(beside.length > 0 && { beside: Object.fromEntries(beside) as NonNullable<Delivery['beside']> }),
    blobs,
  };
}

/** A file as what was sent. */
export function sentBlob({ name, sha256, size }: FileToSend, how: SentBlob['how']): SentBlob {
  return { name, digest: `sha256:${sha256}`, size, how };
}

/** Places of all files of a delivery. */
function locationsOf({ locations, beside = {}, papers = {} }: Delivery): string[] {
  const own = Object.entries(locations).flatMap(([arch, location]) => [
    ...[location, `${location}${WAYBILL_ENDING}`],
    ...PAPER_KINDS.filter((kind) => papers[arch]?.[kind] !== undefined).map(
      (kind) => `${location}${PAPERS[kind].ending}`,
    ),
  ]);
  return [...new Set([...own, ...Object.values(beside).map(({ location }) => location)])];
}

/**
 * Removes the files of a delivery that no other has.
 * @param remove says whether it was there
 */
export async function takeBackFiles(
  delivery: Delivery,
  others: readonly Delivery[],
  remove: (location: string) => boolean | Promise<boolean>,
): Promise<TakenBack> {
  const used = new Set(others.flatMap(locationsOf));
  const deleted: string[] = [];
  const kept: string[] = [];
  for (const location of locationsOf(delivery))
    if (used.has(location)) kept.push(location);
    else if (await remove(location)) deleted.push(location);
  return { ...NOTHING_LEFT, deleted, kept };
}
