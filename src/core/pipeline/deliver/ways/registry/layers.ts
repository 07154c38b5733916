/** What lies under the manifest of an artifact at a registry. */
import { z } from 'zod';
import { jsonOf } from '../../../../base/json';
import type { Descriptor } from '../../../../formats/oci';

const MOST_FILE_BYTES = 64 * 1024 ** 3;

const artifact = z.looseObject({
  layers: z
    .array(
      z.looseObject({
        mediaType: z.string(),
        digest: z.string().regex(/^sha256:[0-9a-f]{64}$/),
        size: z.int().nonnegative().max(MOST_FILE_BYTES),
      }),
    )
    .max(256),
});

/** Undefined bytes and what is no manifest have none. */
export function layersIn(bytes: Buffer | undefined): Descriptor[] {
  const read = artifact.safeParse(jsonOf(bytes?.toString('utf8') ?? ''));
  return read.success ? read.data.layers.map(({ mediaType, digest, size }) => ({ mediaType, digest, size })) : [];
}
