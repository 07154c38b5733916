/** The JSON documents of images as the specification wants them (OCI image specification 1.1). Loads the schema library. */
import { z } from 'zod';

/** More layers than any engine can stack. */
const MAX_LAYERS = 1000;
const DIGEST = /^sha256:[0-9a-f]{64}$/;

const text = z.string().max(1024 * 1024);
const texts = z.record(text, text).nullish();
const digest = z.string().regex(DIGEST, 'a digest `sha256:…`');
export const descriptorSchema = z.object({
  mediaType: text,
  digest,
  size: z.int().nonnegative(),
  platform: z.object({ architecture: text, os: text, variant: text.optional() }).optional(),
  annotations: texts,
  artifactType: text.optional(),
});
export const manifestSchema = z.object({
  schemaVersion: z.literal(2),
  mediaType: text.optional(),
  artifactType: text.optional(),
  config: descriptorSchema,
  layers: z.array(descriptorSchema).max(MAX_LAYERS),
  subject: descriptorSchema.optional(),
  annotations: texts,
});
export const indexSchema = z.object({
  schemaVersion: z.literal(2),
  mediaType: text.optional(),
  manifests: z.array(descriptorSchema).max(10_000),
  subject: descriptorSchema.optional(),
  annotations: texts,
});
const keys = z.record(text, z.unknown()).nullish();
export const configSchema = z.object({
  architecture: text,
  os: text,
  variant: text.optional(),
  created: text.nullish(),
  config: z
    .object({
      User: text.nullish(),
      Env: z.array(text).nullish(),
      Entrypoint: z.array(text).nullish(),
      Cmd: z.array(text).nullish(),
      WorkingDir: text.nullish(),
      Labels: texts,
      ExposedPorts: keys,
      Volumes: keys,
      StopSignal: text.nullish(),
    })
    .nullish(),
  rootfs: z.object({ type: z.literal('layers'), diff_ids: z.array(digest).max(MAX_LAYERS) }),
  history: z
    .array(
      z.object({
        created: text.nullish(),
        created_by: text.nullish(),
        author: text.nullish(),
        comment: text.nullish(),
        empty_layer: z.boolean().nullish(),
      }),
    )
    .nullish(),
});
