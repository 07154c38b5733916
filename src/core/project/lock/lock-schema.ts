/** The shape of the lock. Published as a JSON Schema; format version 2. What is a language's own stands under its id. */
import { z } from 'zod';
import { unsafePathReason } from '../../base/paths';
import { partFields, type Known, type LateFields } from '../../sheet';

const digest = z.string().regex(/^sha256:[0-9a-f]{64}$/, 'a digest `sha256:…`');

const packageFields = {
  name: z.string(),
  version: z.string(),
  file: z.string().refine((name) => !name.includes('/') && unsafePathReason(name) === undefined, 'a file name'),
  sha256: z.string().regex(/^[0-9a-f]{64}$/, 'a SHA-256 in hexadecimal'),
  size: z.int().nonnegative(),
  /** The source that served it: the address of an index or page, or a path from the project folder. */
  index: z.string(),
  /** The address of the file, or its path from the project folder. */
  from: z.string(),
  /** Names of the packages that ask for it, files that state it, or the function. */
  by: z.array(z.string()),
  /** Who asks for which versions, as they write it. Not what the artifact depends on. */
  asked: z.array(z.strictObject({ by: z.string(), as: z.string() })).optional(),
  /** What tells it from another of its name: where it lies, for whom it is. */
  apart: z.string().optional(),
};

/** What an image of one architecture stands on. */
const lockedBaseTarget = z.strictObject({
  /** Where it came from: a reference, a path of the project, or what of the machine. */
  from: z.string(),
  /** Of the manifest, where it is an image. */
  digest: digest.optional(),
  /** Of the configuration. */
  config: z.strictObject({ digest, size: z.int().nonnegative() }),
  layers: z.array(z.strictObject({ mediaType: z.string(), digest, size: z.int().nonnegative(), diffId: digest })),
  /** The runtime’s program in it, and its version where that can be read. */
  program: z.string().optional(),
  version: z.string().optional(),
  /** Version of its C library. */
  glibc: z.string().optional(),
});

const lockedBase = z.strictObject({
  /** Digest of what the sheet says of it. */
  inputs: z.string(),
  targets: z.record(z.string(), lockedBaseTarget),
});

/** The shape of a lock, with what the languages add. */
export async function lockSchema(known: Pick<Known, 'all'>) {
  const own = await partFields(known, ['lockedPackage', 'locked']);
  const optional = (fields: Readonly<Record<string, z.ZodType>>): LateFields =>
    Object.fromEntries(Object.entries(fields).map(([id, schema]) => [id, schema.optional()]));
  const lockedPackage = z.strictObject({ ...packageFields, ...optional(own.lockedPackage) });
  const lockedFunction = z.strictObject({
    /** Digest of the requirements, sources and targets that were settled. */
    inputs: z.string(),
    /** Who was asked, in this order, and why they: not what the artifact depends on. */
    sources: z.array(z.strictObject({ at: z.string(), why: z.string() })).optional(),
    targets: z.record(z.string(), z.array(lockedPackage)),
    ...optional(own.locked),
  });
  return z
    .strictObject({
      lock: z.literal(2),
      functions: z.record(z.string(), lockedFunction),
      /** What images stand on, by function. */
      bases: z.record(z.string(), lockedBase).optional(),
    })
    .meta({ title: 'Emballage lock' });
}

type LockText = z.output<Awaited<ReturnType<typeof lockSchema>>>;
export type PlainLockedFunction = LockText['functions'][string];
export type PlainLockedPackage = PlainLockedFunction['targets'][string][number];
export type LockedBase = z.output<typeof lockedBase>;
export type LockedBaseTarget = z.output<typeof lockedBaseTarget>;
