/** Old results in a shared store: found by their dates, removed by their digests. */
import { severalAtOnce } from '../../base/several';
import { contentDigest } from '../../disk/digest';
import { deleteManifest, listTags, pullManifest, type RegistryConnection } from '../registry';
import { readResult } from './result';

export interface StoredResult {
  readonly tag: string;
  /** Of its manifest. */
  readonly digest: string;
  /** Bytes of its files; several results may share one. */
  readonly bytes: number;
  /** When it was last put there or dated anew, milliseconds since 1970; 0 where it does not say. */
  readonly usedMs: number;
}

const AT_ONCE = 8;

/** All results of a store; what else is there is none of ours, and left alone. @throws EmballageError */
export async function listResults(registry: RegistryConnection, name: string): Promise<StoredResult[]> {
  const found: StoredResult[] = [];
  await severalAtOnce((await listTags(registry, name)) ?? [], AT_ONCE, async (tag) => {
    const pulled = await pullManifest(registry, name, tag);
    const result = pulled === undefined ? undefined : readResult(pulled.bytes);
    if (pulled === undefined || result?.key !== tag) return;
    const usedMs = Date.parse(result.created ?? '');
    found.push({
      tag,
      digest: `sha256:${contentDigest(pulled.bytes)}`,
      bytes: result.files.reduce((sum, { size }) => sum + size, 0),
      usedMs: Number.isNaN(usedMs) ? 0 : usedMs,
    });
  });
  return found.sort((a, b) => a.usedMs - b.usedMs || (a.tag < b.tag ? -1 : 1));
}

export interface ResultBounds {
  /** Milliseconds since 1970. */
  readonly now: number;
  readonly olderMs?: number;
  readonly overBytes?: number;
}

/** Those that go: the old ones, and the oldest of what is too much. @param all the oldest first */
export function resultsToRemove(
  all: readonly StoredResult[],
  { now, olderMs, overBytes }: ResultBounds,
): StoredResult[] {
  const old = all.filter(({ usedMs }) => olderMs !== undefined && now - usedMs > olderMs);
  const left = all.filter((one) => !old.includes(one));
  let bytes = left.reduce((sum, one) => sum + one.bytes, 0);
  const tooMuch = left.filter((one) => {
    if (overBytes === undefined || bytes <= overBytes) return false;
    bytes -= one.bytes;
    return true;
  });
  return [...old, ...tooMuch];
}

/** @throws EmballageError where the registry does not let us */
export async function removeResults(
  registry: RegistryConnection,
  name: string,
  results: readonly StoredResult[],
): Promise<void> {
  await severalAtOnce(results, AT_ONCE, ({ digest }) => deleteManifest(registry, name, digest));
}
