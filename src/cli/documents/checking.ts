/** What `check` and `rules` say. */
import { z } from 'zod';
import { drifts, what } from './words';

const finding = z.looseObject({
  rule: z.string(),
  level: z.enum(['stop', 'warn', 'note']),
  where: z.string().optional(),
  expected: z.string(),
  found: z.string(),
  mend: z.string(),
  accepted: z.looseObject({ reason: z.string() }).optional(),
  endedAcceptance: z.looseObject({ reason: z.string() }).optional(),
});

const checked = z.looseObject({
  name: z.string(),
  arch: z.string().optional(),
  artifact: z.string(),
  destination: z.string(),
  rules: z.array(
    z.looseObject({
      id: z.string(),
      findings: z.array(finding),
      /** Facts for want of which the rule was not applied. */
      lacking: z.array(z.string()),
      gauge: z
        .looseObject({ used: z.number(), unit: z.enum(['bytes', 'count']), allowed: z.number(), by: z.string() })
        .optional(),
    }),
  ),
});

export const checking = {
  check: z.looseObject({
    fit: z.boolean(),
    artifacts: z.array(checked),
    /** With `--there`. */
    there: z.array(z.looseObject({ name: z.string(), destination: z.string(), what, drifts })).optional(),
  }),
  rules: z.looseObject({
    rules: z.array(
      z.looseObject({
        id: z.string(),
        level: z.enum(['stop', 'warn', 'note']),
        title: z.string(),
        why: z.string(),
        mend: z.string(),
        needs: z.array(z.string()),
      }),
    ),
  }),
} as const satisfies Readonly<Record<string, z.ZodType>>;
