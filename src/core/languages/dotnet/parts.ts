/** The shapes of what .NET functions write into lock and waybill. */
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

export const dotnetParts: PartSchemas = {
  lockedPackage: z.strictObject({
    /** SHA-512 of its content without signature, in base 64. */
    contentHash: z.string(),
    /** Only compiling needs it. */
    build: z.literal(true).optional(),
  }),
  locked: clashes,
  carried: clashes,
};
