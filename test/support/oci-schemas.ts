/** JSON Schemas for the documents of images. */
import Ajv from 'ajv';

/** Written from the text of the OCI image specification 1.1: what is REQUIRED there, and the types of the rest. */
const DESCRIPTOR = {
  type: 'object',
  required: ['mediaType', 'digest', 'size'],
  properties: {
    mediaType: {
      type: 'string',
      pattern: '^[A-Za-z0-9][A-Za-z0-9!#$&^_.+-]{0,126}/[A-Za-z0-9][A-Za-z0-9!#$&^_.+-]{0,126}$',
    },
    digest: { type: 'string', pattern: '^[a-z0-9]+(?:[.+_-][a-z0-9]+)*:[a-zA-Z0-9=_-]+$' },
    size: { type: 'integer', minimum: 0 },
    annotations: { type: 'object', additionalProperties: { type: 'string' } },
    platform: { type: 'object', required: ['architecture', 'os'] },
  },
};
export const INDEX_SCHEMA = {
  type: 'object',
  required: ['schemaVersion', 'manifests'],
  properties: {
    schemaVersion: { const: 2 },
    mediaType: { const: 'application/vnd.oci.image.index.v1+json' },
    manifests: { type: 'array', items: DESCRIPTOR },
  },
};
export const MANIFEST_SCHEMA = {
  type: 'object',
  required: ['schemaVersion', 'config', 'layers'],
  properties: {
    schemaVersion: { const: 2 },
    mediaType: { const: 'application/vnd.oci.image.manifest.v1+json' },
    config: DESCRIPTOR,
    layers: { type: 'array', minItems: 1, items: DESCRIPTOR },
    annotations: { type: 'object', additionalProperties: { type: 'string' } },
  },
};
export const CONFIG_SCHEMA = {
  type: 'object',
  required: ['architecture', 'os', 'rootfs'],
  properties: {
    created: { type: 'string', pattern: '^\\d{4}-\\d\\d-\\d\\dT\\d\\d:\\d\\d:\\d\\dZ$' },
    architecture: { enum: ['amd64', 'arm64'] },
    os: { const: 'linux' },
    config: {
      type: 'object',
      additionalProperties: false,
      properties: {
        User: { type: 'string' },
        Env: { type: 'array', items: { type: 'string', pattern: '^[^=]+=' } },
        Entrypoint: { type: 'array', items: { type: 'string' } },
        WorkingDir: { type: 'string' },
        Labels: { type: 'object', additionalProperties: { type: 'string' } },
        StopSignal: { type: 'string' },
      },
    },
    rootfs: {
      type: 'object',
      required: ['type', 'diff_ids'],
      properties: {
        type: { const: 'layers' },
        diff_ids: { type: 'array', items: { type: 'string', pattern: '^sha256:[0-9a-f]{64}$' } },
      },
    },
    history: { type: 'array', items: { type: 'object' } },
  },
};

export function validate(schema: object, value: unknown): void {
  const check = new Ajv().compile(schema);
  expect([check(value), check.errors]).toEqual([true, null]);
}
