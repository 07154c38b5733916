/** The shape of overridden versions in lock and waybill. */
import { z } from 'zod';

export const clashesSchema = z.strictObject({
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
