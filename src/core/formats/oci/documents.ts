/** Reads and writes the JSON documents of images: manifests, indexes, configurations (OCI image specification 1.1). */
import type { z } from 'zod';
import { EmballageError } from '../../base/errors';
import { present } from '../../base/present';
import { printable } from '../../base/text';
import { contentDigest } from '../../base/digest';
import { configSchema, indexSchema, manifestSchema, type descriptorSchema } from './document-schemas';
import { compressionOf, isIndexType, isManifestType, OCI_CONFIG, OCI_INDEX, OCI_MANIFEST } from './media';
import type { Descriptor, ImageConfig, ImageIndex, Manifest } from './model';

/** Registries refuse larger manifests (distribution-spec, "Pushing Manifests" asks for at least 4 MiB). */
export const MAX_MANIFEST_BYTES = 4 * 1024 * 1024;
export const MAX_CONFIG_BYTES = 16 * 1024 * 1024;
/** @param where which document, for messages */
export function readManifest(bytes: Uint8Array, where: string): Manifest {
  const read = parse(manifestSchema, bytes, where, 'an image manifest');
  const { mediaType = OCI_MANIFEST, artifactType, subject } = read;
  if (!isManifestType(mediaType)) throw badImage(where, 'an image manifest', `\`${printable(mediaType)}\``);
  return {
    mediaType,
    config: described(read.config),
    layers: read.layers.map(described),
    annotations: read.annotations ?? {},
    ...present({ artifactType, subject: subject === undefined ? undefined : described(subject) }),
  };
}

/** @param where which document, for messages */
export function readIndex(bytes: Uint8Array, where: string): ImageIndex {
  const read = parse(indexSchema, bytes, where, 'an image index');
  const { mediaType = OCI_INDEX, subject } = read;
  if (!isIndexType(mediaType)) throw badImage(where, 'an image index', `\`${printable(mediaType)}\``);
  return {
    mediaType,
    manifests: read.manifests.map(described),
    annotations: read.annotations ?? {},
    ...present({ subject: subject === undefined ? undefined : described(subject) }),
  };
}

/**
 * @param where which document, for messages
 * @param isVerified whether these very bytes are known to be as the specification wants them
 */
export function readConfig(bytes: Uint8Array, where: string, isVerified = false): ImageConfig {
  const expected = 'the configuration of an image';
  const read = isVerified
    ? (jsonIn(bytes, where, expected) as z.output<typeof configSchema>)
    : parse(configSchema, bytes, where, expected);
  const { architecture, os, variant, created, config: run, rootfs, history } = read;
  return {
    architecture,
    os,
    run: runConfig(run ?? {}),
    diffIds: rootfs.diff_ids,
    history: (history ?? []).map((one) => present(withoutNulls(one))),
    ...present({ variant, created: created ?? undefined }),
  };
}

function runConfig(run: NonNullable<z.output<typeof configSchema>['config']>): ImageConfig['run'] {
  return {
    user: run.User ?? '',
    env: run.Env ?? [],
    entrypoint: run.Entrypoint ?? [],
    cmd: run.Cmd ?? [],
    workingDir: run.WorkingDir ?? '',
    labels: run.Labels ?? {},
    exposedPorts: Object.keys(run.ExposedPorts ?? {}),
    volumes: Object.keys(run.Volumes ?? {}),
    ...present({ stopSignal: run.StopSignal ?? undefined }),
  };
}

function withoutNulls<T extends object>(fields: T): { [K in keyof T]: Exclude<T[K], null> | undefined } {
  return Object.fromEntries(Object.entries(fields).map(([key, value]) => [key, value ?? undefined])) as {
    [K in keyof T]: Exclude<T[K], null> | undefined;
  };
}

/** Keys in the order of the standard, nothing that says nothing: the same image has the same bytes. */
export function writeConfig({ architecture, os, variant, created, run, diffIds, history }: ImageConfig): Buffer {
  const set = (names: readonly string[]): object | undefined =>
    names.length === 0 ? undefined : Object.fromEntries([...names].sort().map((name) => [name, {}]));
  return json({
    ...present({ created }),
    architecture,
    os,
    ...present({ variant }),
    config: present({
      User: run.user === '' ? undefined : run.user,
      ExposedPorts: set(run.exposedPorts),
      Env: filled(run.env),
      Entrypoint: filled(run.entrypoint),
      Cmd: filled(run.cmd),
      Volumes: set(run.volumes),
      WorkingDir: run.workingDir === '' ? undefined : run.workingDir,
      Labels: sortedKeys(run.labels),
      StopSignal: run.stopSignal,
    }),
    rootfs: { type: 'layers', diff_ids: diffIds },
    history: filled(history),
  });
}

/** A manifest in fixed order (OCI image specification, “Image Manifest”). */
export function writeManifest({ mediaType, config: own, layers, annotations }: Manifest): Buffer {
  return json({ schemaVersion: 2, mediaType, config: own, layers, annotations: sortedKeys(annotations) });
}

/** An index in fixed order (OCI image specification, “Image Index”). */
export function writeIndex({ mediaType, manifests, annotations }: ImageIndex): Buffer {
  return json({ schemaVersion: 2, mediaType, manifests, annotations: sortedKeys(annotations) });
}

/** The descriptor of a document. */
export function describeBytes(mediaType: string, bytes: Uint8Array): Descriptor {
  return { mediaType, digest: `sha256:${contentDigest(bytes)}`, size: bytes.length };
}

/** The descriptor of a configuration. */
export function describeConfig(bytes: Uint8Array): Descriptor {
  return describeBytes(OCI_CONFIG, bytes);
}

/** The error of an image that is not as the specification wants it. */
export function badImage(where: string, expected: string, found: string, cause?: unknown): EmballageError {
  return new EmballageError(
    'IMAGE_INVALID',
    {
      doing: 'reading the image',
      where: printable(where),
      expected,
      found,
      mend: 'make or fetch the image again, or ask who made it',
    },
    cause,
  );
}

/**
 * How a layer is compressed, which can be read here.
 * @throws EmballageError IMAGE_INVALID for any other
 */
export function readableCompression(mediaType: string, where: string): 'none' | 'gzip' {
  const compression = compressionOf(mediaType);
  if (compression === 'none' || compression === 'gzip') return compression;
  throw badImage(where, 'a layer that is a tar archive, plain or compressed with gzip', `\`${printable(mediaType)}\``);
}

/** The digest of an image without its algorithm: 64 hexadecimal digits. */
export function hexOf(digestText: string): string {
  return digestText.slice('sha256:'.length);
}

function jsonIn(bytes: Uint8Array, where: string, expected: string): unknown {
  try {
    return JSON.parse(Buffer.from(bytes).toString('utf8'));
  } catch (error) {
    throw badImage(where, expected, 'text that is no JSON', error);
  }
}

function parse<T extends z.ZodType>(schema: T, bytes: Uint8Array, where: string, expected: string): z.output<T> {
  const result = schema.safeParse(jsonIn(bytes, where, expected));
  if (result.success) return result.data;
  const [issue] = result.error.issues;
  const at = issue?.path.map(String).join('.') ?? '';
  const what = issue?.message.replace(/^Invalid input: /, '') ?? '';
  throw badImage(where, expected, `\`${printable(at === '' ? 'the document' : at)}\`: ${printable(what)}`);
}

function described({
  mediaType,
  digest: own,
  size,
  platform,
  annotations,
  artifactType,
}: z.output<typeof descriptorSchema>): Descriptor {
  return {
    mediaType,
    digest: own,
    size,
    ...present({
      platform: platform === undefined ? undefined : present(platform),
      annotations: annotations ?? undefined,
      artifactType,
    }),
  };
}

function json(value: object): Buffer {
  return Buffer.from(JSON.stringify(value));
}

function filled<T>(list: readonly T[]): readonly T[] | undefined {
  return list.length === 0 ? undefined : list;
}

function sortedKeys(record: Readonly<Record<string, string>>): Record<string, string> | undefined {
  const entries = Object.entries(record).sort(([a], [b]) => (a < b ? -1 : 1));
  return entries.length === 0 ? undefined : Object.fromEntries(entries);
}
