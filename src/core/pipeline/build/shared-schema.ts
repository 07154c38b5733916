/** What comes with a target from the shared store. Loaded only where something came. */
import { z } from 'zod';

export const about = z.object({
  sha256: z.string().regex(/^[0-9a-f]{64}$/),
  size: z.int().nonnegative(),
  unpacked: z.int().nonnegative(),
  files: z.int().nonnegative(),
  trimmed: z.int().nonnegative(),
  leftOut: z.array(z.object({ path: z.string(), by: z.string(), kind: z.enum(['file', 'folder']) })),
});
export type About = z.output<typeof about>;

/** Files beside the source folder. */
export const besideFiles = z.array(z.string());
