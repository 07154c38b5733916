/** The documents of `compare` and `prove`: what differs, and what makes it differ. */
import { z } from 'zod';

const count = z.int().nonnegative();
const arch = z.enum(['x86_64', 'arm64']);
const comparedSide = z.looseObject({ shown: z.string(), as: z.string(), size: count });
const difference = z.looseObject({
  /** `described`: the content is the same, what is said about it is not. */
  change: z.enum(['added', 'removed', 'changed', 'moved', 'described']),
  path: z.string(),
  to: z.string().optional(),
  /** Bytes that the second has more. */
  by: z.int(),
  as: z.string().optional(),
  details: z.array(z.looseObject({ what: z.string(), a: z.string(), b: z.string() })),
  lines: z.array(z.string()).optional(),
  /** Differences of the same shape. */
  inside: z.array(z.looseObject({ path: z.string() })).optional(),
  cause: z.string().optional(),
});

export const comparison = z.looseObject({
  verdict: z.enum(['same-bytes', 'same-content', 'differs']),
  a: comparedSide,
  b: comparedSide,
  differences: z.array(difference),
  /** Differences that are not listed, since there are too many. */
  unlisted: count,
  causes: z.array(z.looseObject({ cause: z.string(), where: z.string(), a: z.string(), b: z.string(), times: count })),
});

const differing = z.array(z.looseObject({ name: z.string(), arch, file: z.enum(['artifact', 'waybill']) }));

export const proof = z.union([
  z.looseObject({
    reproducible: z.boolean(),
    /** Each variation alone, or half of them at a time; all together in any case. */
    way: z.enum(['alone', 'halves']),
    variations: z.array(
      z.looseObject({ id: z.string(), title: z.string(), same: z.boolean(), differences: differing }),
    ),
    builds: z.array(z.looseObject({ on: z.array(z.string()), same: z.boolean(), differs: differing })),
    findings: z.array(
      z.looseObject({
        name: z.string(),
        arch,
        file: z.enum(['artifact', 'waybill']),
        /** What makes bytes differ: variations that are on, or what is there without any. */
        because: z.enum(['variations', 'itself', 'folder', 'stale']),
        on: z.array(z.string()),
        place: z.looseObject({ where: z.string(), a: z.string(), b: z.string(), cause: z.string() }),
      }),
    ),
    leftOut: z.array(z.looseObject({ id: z.string(), title: z.string(), mend: z.string() })),
    /** With `--record`: the file. */
    record: z.string().optional(),
  }),
  /** With `--records`. */
  z.looseObject({
    agree: z.boolean(),
    targets: z.array(
      z.looseObject({
        function: z.string(),
        arch: z.string(),
        differs: z.enum(['artifact', 'waybill']).optional(),
        because: z.enum(['source', 'tool', 'toolchains', 'machine']).optional(),
      }),
    ),
  }),
  /** With `--against`. */
  z.looseObject({ comesFromHere: z.boolean(), file: z.string(), name: z.string(), arch, comparison }),
]);

export const vouched = z.looseObject({
  /** What was written; none with `--verify`. */
  vouched: z.array(z.looseObject({ name: z.string(), arch, papers: z.record(z.string(), z.string()) })),
  /** With `--verify`: claim by claim. */
  verified: z.array(
    z.looseObject({
      name: z.string(),
      arch: arch.optional(),
      artifact: z.string(),
      holds: z.boolean(),
      claims: z.array(
        z.looseObject({
          what: z.string(),
          holds: z.union([z.boolean(), z.literal('unknown')]),
          found: z.string().optional(),
        }),
      ),
    }),
  ),
});
