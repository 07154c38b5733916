/** Words that the documents of several commands are made of. */
import { z } from 'zod';

export const count = z.int().nonnegative();
export const arch = z.enum(['x86_64', 'arm64']);
export const sha256 = z.string().regex(/^[0-9a-f]{64}$/);
export const place = z.looseObject({ file: z.string(), line: count, column: count });

export const problem = z.looseObject({ place, expected: z.string(), found: z.string(), mend: z.string() });

/** What a command says that could not do what it was asked for: exit codes 2, 3 and 4. */
export const error = z.looseObject({
  error: z.looseObject({
    /** Stable; `FAULT` is a fault of the tool's own. */
    code: z.string(),
    doing: z.string(),
    where: z.string().optional(),
    expected: z.string().optional(),
    found: z.string(),
    mend: z.string(),
    problems: z.array(problem).optional(),
    details: z.array(z.string()).optional(),
  }),
});

export const what = z.enum(['code', 'settings', 'both', 'nothing']);
/** What stands there otherwise than it is here. */
export const drifts = z.array(z.looseObject({ what: z.string(), here: z.string(), there: z.string() }));

export const failed = z.array(error.extend({ name: z.string() }));

export const chain = z.array(
  z.looseObject({ kind: z.enum(['file', 'package']), path: z.string(), line: z.int().optional() }),
);
