/** The format of the ledger. Loaded only for one that has not been read before. */
import { z } from 'zod';
import { PAPER_KINDS } from '../../project/papers';
import type { WayName } from '../../sheet';

const digest = z.string().regex(/^sha256:[0-9a-f]{64}$/);

const delivery = (ways: readonly WayName[]) =>
  z.strictObject({
    function: z.string(),
    destination: z.string(),
    way: z.enum(ways),
    /** Where: `harbour.example:5000`, a folder, an address, a program. */
    at: z.string(),
    /** Of all of it: of the one artifact, or of the index over all architectures. */
    digest,
    /** Digest of the artifact for each architecture; of its manifest for an image. */
    artifacts: z.record(z.string(), digest),
    /** Where each of them is to be found. */
    locations: z.record(z.string(), z.string()),
    /** Digest of the waybill of each of them. */
    waybills: z.record(z.string(), digest).optional(),
    /** Digests of the papers of each of them, by their kind. */
    papers: z.record(z.string(), z.partialRecord(z.enum(PAPER_KINDS), digest)).optional(),
    /** Data beside the artifact. */
    beside: z.record(z.string(), z.strictObject({ digest, location: z.string() })).optional(),
    /** At a registry: the name of the repository there, and the tags. */
    repository: z.string().optional(),
    tags: z.array(z.string()).optional(),
    /** What the host or the program calls it. */
    version: z.string().optional(),
    /** Of entry, memory, time and settings, without what is secret. */
    configuration: digest.optional(),
    /** The destination that it was promoted from. */
    from: z.string().optional(),
    /** When it was sent, RFC 3339. */
    sent: z.string(),
    /** When it was taken back. */
    recalled: z.string().optional(),
  });

/** @param ways that there are */
export function ledgerSchema(ways: readonly WayName[]) {
  return z
    .strictObject({ ledger: z.literal(2), deliveries: z.array(delivery(ways)) })
    .meta({ title: 'Emballage ledger' });
}

export type Delivery = z.output<ReturnType<typeof delivery>>;
export type Ledger = z.output<ReturnType<typeof ledgerSchema>>;
