/** The shapes of what .NET functions write into lock and waybill. */
import { z } from 'zod';
import { clashesSchema } from '../../project/lock/clash-schema';
import type { PartSchemas } from '../../sheet';

export const dotnetParts: PartSchemas = {
  lockedPackage: z.strictObject({
    /** SHA-512 of its content without signature, in base 64. */
    contentHash: z.string(),
    /** Only compiling needs it. */
    build: z.literal(true).optional(),
  }),
  locked: clashesSchema,
  carried: clashesSchema,
};
