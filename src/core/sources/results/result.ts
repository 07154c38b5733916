/**
 * Results as artifacts of the open standard (OCI image specification 1.1, "Guidelines for Artifact Usage"): a manifest tagged
 * by what the result was made of, with a file in each of its layers.
 */
import { createPrivateKey, createPublicKey, sign, verify, type KeyObject } from 'node:crypto';
import { z } from 'zod';
import { EMPTY_DESCRIPTOR, OCI_MANIFEST } from '../../formats/oci';

export const RESULT_TYPE = 'application/vnd.emballage.result.v1+json';
const FILE_TYPE = 'application/octet-stream';

const TITLE = 'org.opencontainers.image.title';
const CREATED = 'org.opencontainers.image.created';
const KEY = 'emballage.key';
const SIGNATURE = 'emballage.signature';
const INLINE = 'emballage.inline';

const digest = z.string().regex(/^sha256:[0-9a-f]{64}$/);
const MOST_FILE_BYTES = 16 * 1024 ** 3;

const manifest = z.looseObject({
  schemaVersion: z.literal(2),
  artifactType: z.literal(RESULT_TYPE),
  layers: z
    .array(
      z.looseObject({
        digest,
        size: z.int().nonnegative().max(MOST_FILE_BYTES),
        annotations: z.looseObject({ [TITLE]: z.string() }).optional(),
      }),
    )
    .max(64),
  annotations: z.looseObject({
    [KEY]: z.string(),
    [INLINE]: z.string().optional(),
    [SIGNATURE]: z.string().optional(),
    [CREATED]: z.string().optional(),
  }),
});

export interface ResultFile {
  readonly name: string;
  readonly digest: string;
  readonly size: number;
  /** What it holds, where that is small: it travels within the manifest, so that one request is enough for either way. */
  readonly data?: Buffer;
}

export interface Result {
  /** What it was made of: the kind of thing, and a digest of all that its bytes depend on. */
  readonly key: string;
  readonly files: readonly ResultFile[];
  readonly signature: string | undefined;
  /** When it was put there, RFC 3339. */
  readonly created: string | undefined;
}

/** @param signWith a private key; unsigned without one */
export function writeResult(
  key: string,
  files: readonly ResultFile[],
  { created, signWith }: { readonly created: string; readonly signWith: KeyObject | undefined },
): Buffer {
  const layers = files
    .filter(({ data }) => data === undefined)
    .map(({ name, digest: own, size }) => ({
      mediaType: FILE_TYPE,
      digest: own,
      size,
      annotations: { [TITLE]: name },
    }));
  const small = files.flatMap(({ data, ...file }) =>
    data === undefined ? [] : [{ ...file, data: data.toString('base64') }],
  );
  const own = {
    [KEY]: key,
    ...(small.length > 0 && { [INLINE]: JSON.stringify(small) }),
    [CREATED]: created,
    ...(signWith !== undefined && {
      [SIGNATURE]: sign(hashFor(signWith), signedBytes(key, files), signWith).toString('base64'),
    }),
  };
  return Buffer.from(
    JSON.stringify({
      schemaVersion: 2,
      mediaType: OCI_MANIFEST,
      artifactType: RESULT_TYPE,
      config: EMPTY_DESCRIPTOR,
      layers: layers.length > 0 ? layers : [EMPTY_DESCRIPTOR],
      annotations: own,
    }),
  );
}

/** @returns undefined for what is no result */
export function readResult(bytes: Uint8Array): Result | undefined {
  let value: unknown;
  try {
    value = JSON.parse(Buffer.from(bytes).toString('utf8'));
  } catch {
    return undefined;
  }
  const read = manifest.safeParse(value);
  if (!read.success) return undefined;
  const { layers, annotations } = read.data;
  const small = inlineFiles(annotations[INLINE]);
  if (small === undefined) return undefined;
  const large = layers.flatMap(({ annotations: said, digest: own, size }) =>
    said === undefined ? [] : [{ name: said[TITLE], digest: own, size }],
  );
  return {
    key: annotations[KEY],
    files: [...large, ...small].sort((a, b) => (a.name < b.name ? -1 : 1)),
    signature: annotations[SIGNATURE],
    created: annotations[CREATED],
  };
}

const inline = z.array(z.object({ name: z.string(), digest, size: z.int().nonnegative(), data: z.base64() }));

/** @returns undefined where they are not as they should be */
function inlineFiles(text: string | undefined): ResultFile[] | undefined {
  if (text === undefined) return [];
  try {
    const read = inline.safeParse(JSON.parse(text));
    return read.success ? read.data.map((one) => ({ ...one, data: Buffer.from(one.data, 'base64') })) : undefined;
  } catch {
    return undefined;
  }
}

/** Whether one of the keys has signed it. */
export function isSignedBy({ key, files, signature }: Result, keys: readonly KeyObject[]): boolean {
  if (signature === undefined) return false;
  const given = Buffer.from(signature, 'base64');
  return keys.some((one) => {
    try {
      return verify(hashFor(one), signedBytes(key, files), one, given);
    } catch {
      return false;
    }
  });
}

/** What is signed: the key, and every file with its digest, a line each. */
function signedBytes(key: string, files: readonly ResultFile[]): Buffer {
  const sorted = [...files].sort((a, b) => (a.name < b.name ? -1 : 1));
  const lines = sorted.map(({ name, digest: own, size }) => `${JSON.stringify(name)} ${own} ${String(size)}`);
  return Buffer.from(['emballage result 1', key, ...lines, ''].join('\n'));
}

/** Edwards curves hash by themselves (RFC 8032). */
function hashFor({ asymmetricKeyType }: KeyObject): string | null {
  return asymmetricKeyType === 'ed25519' || asymmetricKeyType === 'ed448' ? null : 'sha256';
}

/** A key from its PEM text; undefined where it is none. */
export function readPublicKey(text: string): KeyObject | undefined {
  try {
    return createPublicKey(text);
  } catch {
    return undefined;
  }
}

/** A private key for signing results; undefined for a text that is none. PEM, Ed25519 or P-256. */
export function readPrivateKey(text: string): KeyObject | undefined {
  try {
    return createPrivateKey(text);
  } catch {
    return undefined;
  }
}
