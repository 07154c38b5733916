/** The note on a layer that another machine packed. Loaded only where one came. */
import { z } from 'zod';

const digest = z.string().regex(/^[0-9a-f]{64}$/);

export const layerNote = z.object({
  hex: digest,
  size: z.int().nonnegative(),
  diffId: digest,
  unpacked: z.int().nonnegative(),
});
export type LayerNote = z.output<typeof layerNote>;
