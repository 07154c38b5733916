/** What `survey`, `lock` and `build` say. */
import { z } from 'zod';
import { DRIFTS } from '../../core/pipeline/survey';
import { arch, count, failed, sha256 } from './words';

const built = z.looseObject({
  name: z.string(),
  arch,
  status: z.enum(['unchanged', 'same', 'stored', 'built', 'fetched']),
  /** Relative to the project. */
  artifact: z.string(),
  waybill: z.string(),
  archive: z.string().optional(),
  size: count,
  unpacked: count,
  files: count,
  sha256,
  trimmed: count,
});

const surveyed = {
  folders: count,
  files: count,
  written: z.array(z.string()),
  /** What was passed over, and why. */
  notes: z.array(z.looseObject({ where: z.string(), text: z.string() })),
};

export const making = {
  survey: z.discriminatedUnion('status', [
    z.looseObject({
      status: z.literal('proposed'),
      ...surveyed,
      functions: z.array(
        z.looseObject({
          name: z.string(),
          source: z.string(),
          runtime: z.string(),
          artifact: z.string(),
          /** The likeliest first. */
          entries: z.array(z.looseObject({ entry: z.string(), why: z.string() })),
          /** What has to be done before it can be locked or built. */
          lacking: z.array(z.string()),
        }),
      ),
      /** Files as `--write` keeps them; paths relative to the folder. */
      texts: z.array(z.looseObject({ path: z.string(), text: z.string() })),
    }),
    z.looseObject({
      status: z.literal('compared'),
      ...surveyed,
      sheet: z.string(),
      drifts: z.array(
        z.looseObject({
          drift: z.enum(DRIFTS),
          level: z.enum(['stop', 'warn', 'note']),
          name: z.string(),
          where: z.string().optional(),
          expected: z.string(),
          found: z.string(),
          mend: z.string(),
          /** Whether `--write` can make the change, and has. */
          inPlace: z.boolean(),
          made: z.boolean(),
        }),
      ),
    }),
  ]),
  build: z.looseObject({
    targets: z.array(built),
    hashed: count,
    packed: count,
    failed,
    /** Where results are shared with other machines: how many came, went, and were refused. */
    store: z.looseObject({ at: z.string(), fetched: count, sent: count, refused: count }).optional(),
  }),
} as const satisfies Readonly<Record<string, z.ZodType>>;
