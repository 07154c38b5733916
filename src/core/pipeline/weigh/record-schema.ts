/** The shape of recorded weights. Published as a JSON Schema; format version 1. */
import { z } from 'zod';

const bytes = z.int().nonnegative();

const weights = z.strictObject({
  packed: bytes.meta({ description: 'Bytes of the artifact; of an image, of its layers.' }),
  unpacked: bytes,
  files: bytes.meta({ description: 'Without folders.' }),
  dependencies: z
    .array(
      z.strictObject({
        name: z
          .string()
          .meta({ description: 'Of the package; what is the function’s own, or of the form, has a name too.' }),
        version: z.string().optional(),
        unpacked: bytes,
      }),
    )
    .meta({ description: 'What each takes, the heaviest first.' }),
});

export const recordSchema = z
  .strictObject({
    weights: z.literal(1).meta({ description: 'Version of this format.' }),
    functions: z.record(
      z.string(),
      z.strictObject({
        allow: z
          .string()
          .regex(/^(?:\d{1,4}(?:\.\d{1,3})? %|\d{1,9}(?:\.\d{1,6})? (?:B|KiB|MiB|GiB))$/)
          .meta({ description: 'How much may come on top: `5 %`, `10 KiB`.' }),
        targets: z.record(z.string(), weights),
      }),
    ),
  })
  .meta({ title: 'Emballage weights' });

export type WeightRecords = z.output<typeof recordSchema>;
/** What an artifact weighed at some time. */
export type WeightRecord = z.output<typeof weights>;
