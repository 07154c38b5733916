/** The format of the ledger. Loaded only for one that has not been read before. */
import { z } from 'zod';

const digest = z.string().regex(/^sha256:[0-9a-f]{64}$/);

const delivery = z.strictObject({
  function: z.string(),
  destination: z.string(),
  /** `harbour.example:5000`. */
  registry: z.string(),
  /** Name of the repository there. */
  repository: z.string(),
  /** Of the index over all architectures. */
  digest,
  tags: z.array(z.string()),
  /** Digest of the image of each architecture. */
  images: z.record(z.string(), digest),
  /** When it was sent, RFC 3339. */
  sent: z.string(),
  /** When it was taken back. */
  recalled: z.string().optional(),
});

export const ledgerSchema = z
  .strictObject({ ledger: z.literal(1), deliveries: z.array(delivery) })
  .meta({ title: 'Emballage ledger' });

export type Delivery = z.output<typeof delivery>;
export type Ledger = z.output<typeof ledgerSchema>;
