/** The shape of the lock. Published as a JSON Schema; format version 1. */
import { z } from 'zod';
import { unsafePathReason } from '../base/paths';

/** Whether a path stays below where it is put. */
function isPlace(path: string): boolean {
  return unsafePathReason(path) === undefined;
}

const lockedPackage = z.strictObject({
  name: z.string(),
  version: z.string(),
  file: z.string().refine((name) => !name.includes('/') && unsafePathReason(name) === undefined, 'a file name'),
  sha256: z.string().regex(/^[0-9a-f]{64}$/, 'a SHA-256 in hexadecimal'),
  size: z.int().nonnegative(),
  /** The source that served it: the address of an index or page, or a path from the project folder. */
  index: z.string(),
  /** The address of the file, or its path from the project folder. */
  from: z.string(),
  /** The source distribution that it is built from, and with what; then `from` says nothing. */
  source: z
    .strictObject({
      file: z.string(),
      sha256: z.string(),
      size: z.int().nonnegative(),
      from: z.string(),
      with: z.array(z.string()),
    })
    .optional(),
  /** Names of the packages that ask for it, files that state it, or the function. */
  by: z.array(z.string()),
  /** Node.js: where it lies in the artifact, `node_modules/a`. */
  at: z.string().refine(isPlace, 'a path in the artifact').optional(),
  /** Node.js: it has a script that wants to run when it is installed, which never happens here. */
  script: z.literal(true).optional(),
  /** Node.js: the versions of it that the package is for. */
  engines: z.string().optional(),
  /** JVM: the dependency that was settled by itself, for which alone this one is. */
  apart: z.string().optional(),
  /** JVM: it is there where the function runs; only compiling needs it. */
  provided: z.literal(true).optional(),
});

/** A package that lies in the project itself. */
const workspace = z.strictObject({
  /** Where it lies in the artifact. */
  at: z.string().refine(isPlace, 'a path in the artifact'),
  /** Its folder, relative to the project. */
  folder: z.string().refine(isPlace, 'a folder of the project'),
});

/** JVM: a version that somebody asks for and that a nearer one overrides. */
const clash = z.strictObject({
  name: z.string(),
  version: z.string(),
  chain: z.array(z.string()),
  used: z.string(),
  usedChain: z.array(z.string()),
});

const lockedFunction = z.strictObject({
  /** Digest of the requirements, sources and targets that were settled. */
  inputs: z.string(),
  targets: z.record(z.string(), z.array(lockedPackage)),
  /** Node.js: packages of the project itself that it uses. */
  workspaces: z.array(workspace).optional(),
  clashes: z.array(clash).optional(),
});

const digest = z.string().regex(/^sha256:[0-9a-f]{64}$/, 'a digest `sha256:…`');

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

export const lockSchema = z.strictObject({
  lock: z.literal(1),
  functions: z.record(z.string(), lockedFunction),
  /** What images stand on, by function. */
  bases: z.record(z.string(), lockedBase).optional(),
});

export type Lock = z.output<typeof lockSchema>;
export type LockedFunction = z.output<typeof lockedFunction>;
export type LockedWorkspace = z.output<typeof workspace>;
export type LockedClash = z.output<typeof clash>;
export type LockedBase = z.output<typeof lockedBase>;
export type LockedBaseTarget = z.output<typeof lockedBaseTarget>;
export type LockedPackage = z.output<typeof lockedPackage>;
