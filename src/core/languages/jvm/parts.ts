/** The shapes of what JVM functions write into lock and waybill. */
import { z } from 'zod';
import { clashesSchema } from '../../project/lock/clash-schema';
import type { PartSchemas } from '../../sheet';

export const jvmParts: PartSchemas = {
  lockedPackage: z.strictObject({
    /** The dependency that was settled by itself, for which alone this one is. */
    apart: z.string().optional(),
    /** It is there where the function runs; only compiling needs it. */
    provided: z.literal(true).optional(),
    /** What its POM, or a parent of that, states of its licences: names or addresses. */
    licences: z.array(z.string()).optional(),
  }),
  locked: clashesSchema,
  carried: clashesSchema,
};
