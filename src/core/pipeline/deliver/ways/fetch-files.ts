/** Brings the files of a delivery here, each verified by the digest that the ledger has. */
import { mkdirSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { EmballageError } from '../../../base/errors';
import { printable } from '../../../base/text';
import { fileDigest } from '../../../disk/digest';
import { FileSink, guarded, replaceLarge } from '../../../disk/write';
import { PAPER_KINDS, PAPERS } from '../../../project/papers';
import { ARCHITECTURES } from '../../../sheet';
import type { Delivery } from '../ledger';
import type { PayloadFile, PayloadPaper } from '../payload';
import { bodyDigest, type Exchange } from '../../../sources/exchange';
import { WAYBILL_ENDING } from './files';
import type { Fetched, FetchWanted } from './way';

export interface FileToFetch {
  readonly location: string;
  /** SHA-256 in hexadecimal; undefined for a waybill of which the ledger has none. */
  readonly sha256: string | undefined;
  /** Absolute path that it is to come to. */
  readonly to: string;
}

/** Writes a file; undefined where it is not there any more. */
export type Bring = (file: FileToFetch) => Promise<{ readonly sha256: string } | undefined>;

const MOST_FILE_BYTES = 64 * 1024 ** 3;

/** Brings the files of a delivery, each verified by the digest in the ledger. @param bring how the way gets one */
export async function fetchFiles(
  delivery: Delivery,
  { into, arch: only, ending, onProgress }: FetchWanted,
  bring: Bring,
): Promise<Fetched> {
  guarded(into, () => mkdirSync(into, { recursive: true }));
  const parts = [];
  const archs = ARCHITECTURES.filter((arch) => delivery.artifacts[arch] !== undefined && (only ?? arch) === arch);
  for (const [i, arch] of archs.entries()) {
    const [location = '', digest = ''] = [delivery.locations[arch], delivery.artifacts[arch]];
    const file = `${delivery.function}.${arch}${ending}`;
    const artifact = await fetchOne(delivery, location, digest, join(into, file), bring);
    const at = `${location}${WAYBILL_ENDING}`;
    const to = join(into, `${file}${WAYBILL_ENDING}`);
    const waybill = await fetchOne(delivery, at, delivery.waybills?.[arch], to, bring);
    const papers: PayloadPaper[] = [];
    for (const kind of PAPER_KINDS) {
      const own = delivery.papers?.[arch]?.[kind];
      const { ending: paper } = PAPERS[kind];
      if (own !== undefined)
        papers.push({
          kind,
          ...(await fetchOne(delivery, `${location}${paper}`, own, join(into, `${file}${paper}`), bring)),
        });
    }
    parts.push({ arch, ...artifact, waybill, papers });
    onProgress(i + 1, archs.length);
  }
  const beside = [];
  for (const [name, { digest, location }] of Object.entries(delivery.beside ?? {}))
    beside.push({ name, ...(await fetchOne(delivery, location, digest, join(into, `beside-${name}`), bring)) });
  return { parts, beside };
}

async function fetchOne(
  delivery: Delivery,
  location: string,
  digest: string | undefined,
  to: string,
  bring: Bring,
): Promise<PayloadFile> {
  const wanted = digest?.slice('sha256:'.length);
  const found = await bring({ location, sha256: wanted, to });
  if (found === undefined) throw gone(delivery, location);
  if (wanted !== undefined && found.sha256 !== wanted)
    throw new EmballageError('DELIVERY_INVALID', {
      doing: `fetching ${delivery.function} from ${delivery.destination}`,
      where: printable(location),
      expected: `SHA-256 ${wanted}, as the ledger has it`,
      found: `SHA-256 ${found.sha256}`,
      mend: 'somebody changed it there: send it again from what was built',
    });
  return { path: to, shown: location, sha256: wanted ?? fileDigest(to), size: statSync(to).size };
}

/** Brings files by HTTP. @param urlOf where a file is */
export function bringer(exchange: Exchange, doing: string, urlOf: (file: FileToFetch) => string): Bring {
  return async (file) => {
    const url = urlOf(file);
    const response = await exchange.send({ url, doing, expects: [200, 404, 410] });
    if (response.status !== 200) {
      await exchange.small(response, doing, url);
      return undefined;
    }
    const sink = new FileSink(file.to, file.location, false);
    try {
      const found = await bodyDigest(response, { doing, url, take: (piece) => sink.append(piece) }, MOST_FILE_BYTES);
      sink.close();
      guarded(file.location, () => replaceLarge(sink.path, file.to));
      return found;
    } catch (error) {
      sink.discard();
      throw error;
    }
  };
}

/** What the ledger says was sent, and is not there. */
export function gone(delivery: Delivery, where: string): EmballageError {
  return new EmballageError('DELIVERY_GONE', {
    doing: `fetching ${delivery.function} from ${delivery.destination}`,
    where: printable(where),
    expected: `what was sent there on ${delivery.sent.slice(0, 10)}`,
    found: 'nothing: it no longer stands there',
    mend: `send it there again, or send what is built: \`emballage send ${delivery.function} --to …\``,
  });
}
