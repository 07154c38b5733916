/** The shapes of what Python functions write into the lock. */
import { z } from 'zod';
import type { PartSchemas } from '../../sheet';

export const pythonParts: PartSchemas = {
  lockedPackage: z.strictObject({
    /** The source distribution that it is built from, and with what; then `from` says nothing. */
    source: z.strictObject({
      file: z.string(),
      sha256: z.string(),
      size: z.int().nonnegative(),
      from: z.string(),
      with: z.array(z.string()),
    }),
  }),
};
