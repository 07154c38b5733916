/** What `send`, `ledger`, `recall` and `fill` say. */
import { z } from 'zod';
import { ledgerSchema, WAYS } from '../../core/pipeline/deliver';
import { drifts, what } from './words';

const deliverySchema = ledgerSchema(WAYS.map(({ name }) => name)).shape.deliveries.element;

export const delivering = {
  send: z.looseObject({
    /** Whether all of them fit; nothing was sent otherwise. */
    fit: z.boolean(),
    sent: z.array(
      z.union([
        z.looseObject({ delivery: deliverySchema, what, drifts, blobs: z.array(z.unknown()), isSame: z.boolean() }),
        /** With `--dry-run`. */
        z.looseObject({ name: z.string(), destination: z.string(), what, drifts }),
      ]),
    ),
  }),
  ledger: z.looseObject({
    ledger: z.string(),
    deliveries: z.array(deliverySchema.extend({ moved: z.array(z.string()) })),
  }),
  recall: z.looseObject({
    recalled: z.array(
      z.looseObject({
        delivery: deliverySchema,
        deleted: z.array(z.string()),
        kept: z.array(z.string()),
        tagsLeft: z.array(z.string()),
        referrers: z.array(z.string()),
        unknownTags: z.array(z.string()),
      }),
    ),
  }),
  fill: z.looseObject({
    stale: z.boolean(),
    filled: z.array(z.looseObject({ file: z.string(), at: z.string(), before: z.string(), now: z.string() })),
  }),
} as const satisfies Readonly<Record<string, z.ZodType>>;
