/** The shapes of what JVM functions write into lock and waybill. */
import { z } from 'zod';
import type { PartSchemas } from '../../sheet';

const clashes = z.strictObject({
  clashes: z
    .array(
      z.strictObject({
        name: z.string(),
        version: z.string(),
        chain: z.array(z.string()),
        used: z.string(),
        usedChain: z.array(z.string()),
      }),
    )
    .meta({ description: 'Versions that somebody asks for and that nearer ones override, with the chains of both.' }),
});

export const jvmParts: PartSchemas = {
  lockedPackage: z.strictObject({
    /** The dependency that was settled by itself, for which alone this one is. */
    apart: z.string().optional(),
    /** It is there where the function runs; only compiling needs it. */
    provided: z.literal(true).optional(),
    /** What its POM, or a parent of that, states of its licences: names or addresses. */
    licences: z.array(z.string()).optional(),
  }),
  locked: clashes,
  carried: clashes,
};
