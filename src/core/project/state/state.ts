/**
 * The one map of the state folder, `.emballage/`, and of the user's folder for caches: what kinds of things lie there, what
 * made them, how much of each there may be, and what they depend on. All of it is only memory: without it the bytes are
 * the same.
 *
 * What the tool's code made lies below a folder named after that code, so that no other version ever reads it. What is
 * known by its digest, and verified when it is used, lies beside, and outlives the code.
 */
import { closeSync, existsSync, fstatSync, futimesSync, openSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { isRunning, machineMark } from '../../disk/running';
import { STATE_FOLDER } from '../../fileset/selection';
import { writeMemory } from '../../disk/write';

/** A kind of thing that is kept. */
export interface StateKind {
  /** Name of its folder. */
  readonly name: string;
  /** What it is, and what it depends on: what its names are made of. */
  readonly holds: string;
  readonly dependsOn: string;
  /** `code`: only the version of the tool that made it reads it. `digest`: known by its digest, and verified. */
  readonly keptBy: 'code' | 'digest';
  /** Whose it is. What third parties made is the same in every project. */
  readonly of: 'project' | 'user';
  /** Its things are named after functions, up to the first point. */
  readonly byFunction?: true;
  /** How many things, each with the notes on it, and bytes, before the least recently used go. */
  readonly most: { readonly things: number; readonly bytes?: number };
}

const MIB = 1024 ** 2;
const GIB = 1024 ** 3;

/** What no language alone keeps. */
export const KINDS = {
  sheets: {
    name: 'sheets',
    holds: 'a sheet as it was read, with the texts that it was read from',
    dependsOn: 'those texts',
    keptBy: 'code',
    of: 'project',
    most: { things: 64 },
  },
  verified: {
    name: 'verified',
    holds: 'digests of locks, waybills and ledgers that are as their format wants them',
    dependsOn: 'their texts',
    keptBy: 'code',
    of: 'project',
    most: { things: 20_000 },
  },
  insides: {
    name: 'insides',
    holds: 'where secrets and traces of the machine were found in an artifact, without their values',
    dependsOn: 'the digest of the artifact, and what of the machine is looked for',
    keptBy: 'code',
    of: 'project',
    most: { things: 20_000 },
  },
  licences: {
    name: 'licences',
    holds: 'what packages say of their licences',
    dependsOn: 'the digests of the packages, and what the lock says of them',
    keptBy: 'code',
    of: 'project',
    most: { things: 20_000 },
  },
  advisories: {
    name: 'advisories',
    holds: 'records of known faults that are about the packages of a function',
    dependsOn: 'what the system says of the files with all records, and the names of the packages',
    keptBy: 'code',
    of: 'project',
    most: { things: 20_000 },
  },
  index: {
    name: 'index',
    holds: 'what source folders and artifacts looked like after the last build',
    dependsOn: 'all that the artifact does',
    byFunction: true,
    keptBy: 'code',
    of: 'project',
    most: { things: 20_000 },
  },
  artifacts: {
    name: 'artifacts',
    holds: 'artifacts',
    dependsOn: 'form, encoder, time, and paths, modes and contents of all files',
    keptBy: 'code',
    of: 'project',
    most: { things: 256, bytes: 4 * GIB },
  },
  layers: {
    name: 'layers',
    holds: 'which blob a layer, or the layer of a base, came to',
    dependsOn: 'encoder, time, and paths, modes and contents of all files; what a root file system looks like',
    keptBy: 'code',
    of: 'project',
    most: { things: 4000 },
  },
  listings: {
    name: 'listings',
    holds: 'which files lie in layers of images that were opened, and where',
    dependsOn: 'the digests of the layer, packed and unpacked',
    keptBy: 'code',
    of: 'project',
    most: { things: 256, bytes: GIB / 4 },
  },
  archives: {
    name: 'archives',
    holds: 'what archives of images looked like when they were written',
    dependsOn: 'the index of the layout that they were written from',
    byFunction: true,
    keptBy: 'code',
    of: 'project',
    most: { things: 20_000 },
  },
  generated: {
    name: 'generated',
    holds: 'files that are made for artifacts',
    dependsOn: 'their content',
    keptBy: 'code',
    of: 'project',
    most: { things: 4000, bytes: GIB },
  },
  stripped: {
    name: 'stripped',
    holds: 'compiled files without their debugging sections',
    dependsOn: 'the content of the whole file',
    keptBy: 'code',
    of: 'project',
    most: { things: 2000, bytes: 2 * GIB },
  },
  blobs: {
    name: 'blobs',
    holds: 'layers and documents of images',
    dependsOn: 'their content',
    keptBy: 'digest',
    of: 'user',
    most: { things: 4000, bytes: 16 * GIB },
  },
  uploads: {
    name: 'uploads',
    holds: 'how far what is sent in pieces has come',
    dependsOn: 'registry, repository and digest',
    keptBy: 'digest',
    of: 'project',
    most: { things: 256 },
  },
  packages: {
    name: 'packages',
    holds: 'third-party files',
    dependsOn: 'their content',
    keptBy: 'digest',
    of: 'user',
    most: { things: 20_000, bytes: 16 * GIB },
  },
  unpacked: {
    name: 'unpacked',
    holds: 'third-party packages, unpacked',
    dependsOn: 'the content of the package',
    keptBy: 'code',
    of: 'user',
    most: { things: 4000, bytes: 16 * GIB },
  },
  started: {
    name: 'started',
    holds: 'what the runtime made of the text of the program, as bin/load.js keeps it',
    dependsOn: 'that text, the version of the runtime, and the command',
    keptBy: 'code',
    of: 'user',
    most: { things: 64 },
  },
  answers: {
    name: 'answers',
    holds: 'answers of servers, as RFC 9111 lets them be kept',
    dependsOn: 'the address, and what the server says of how long it holds',
    keptBy: 'digest',
    of: 'user',
    most: { things: 20_000, bytes: 512 * MIB },
  },
} as const satisfies Readonly<Record<string, StateKind>>;

/** Results of other machines, by kind and by the digest of all that they were made of. */
export interface SharedResults {
  /**
   * Brings the files of a result, each to its absolute path, all or none.
   * @returns whether they were there
   */
  fetch(kind: string, key: string, files: Readonly<Record<string, string>>): Promise<boolean>;
  /**
   * Gives a result to others, where that is allowed.
   * @param files what each holds, or its absolute path; those have to stay as they are until the build ends
   */
  offer(kind: string, key: string, files: Readonly<Record<string, string | Uint8Array>>): void;
}

export const NOTHING_SHARED: SharedResults = { fetch: () => Promise.resolve(false), offer: () => undefined };

/** Folders that say that somebody is at it, and is to be let alone. */
export const LOCKS = ['build.lock', 'lock.lock', 'ledger.lock'] as const;
/** Where things of a run lie until it ends. */
export const SCRATCH = 'scratch';
/** Things that are read are marked as used when they have not been for so long. */
const USED_AGAIN_MS = 24 * 3600 * 1000;

export interface StateFolders {
  /** Absolute path of the project. */
  readonly root: string;
  /** What tells the code of one version of the tool from another's. */
  readonly code: string;
  /** Absolute path of the user's folder for caches. */
  readonly caches: string;
  /** Milliseconds since 1970. */
  readonly now: () => number;
}

export class StateFolder {
  /** Absolute path of the project. */
  readonly root: string;
  /** Absolute path of `.emballage/`. */
  readonly path: string;
  readonly code: string;
  /** Absolute path of ours among the user's folders for caches. */
  readonly caches: string;
  /** Milliseconds since 1970. */
  readonly now: () => number;
  /** What other machines made, where a build may take it. */
  shared: SharedResults = NOTHING_SHARED;

  constructor({ root, code, caches, now }: StateFolders) {
    this.root = root;
    this.now = now;
    this.path = join(root, STATE_FOLDER);
    this.code = code;
    this.caches = join(caches, 'emballage');
  }

  /** Absolute path of the folder of a kind; made when something is put in. */
  folder({ name, keptBy, of }: StateKind): string {
    const base = of === 'user' ? this.caches : this.path;
    return keptBy === 'code' ? join(base, this.codeFolder, name) : join(base, name);
  }

  /** Absolute path of a thing. @param names of folders and the file below the kind's own folder */
  file(kind: StateKind, ...names: readonly string[]): string {
    return join(this.folder(kind), ...names);
  }

  /** A thing that was kept as JSON; undefined where there is none that can be read. */
  recall(kind: StateKind, name: string): unknown {
    const text = readUsed(this.file(kind, name), this.now());
    if (text === undefined) return undefined;
    try {
      return JSON.parse(text) as unknown;
    } catch {
      // Not whole: it is made again.
      return undefined;
    }
  }

  remember(kind: StateKind, name: string, value: unknown): void {
    const path = this.file(kind, name);
    writeMemory(path, JSON.stringify(value), path);
  }

  /** Absolute path of a folder for what is needed while this run lasts; the caller removes it. */
  scratch(name: string): string {
    return join(this.path, SCRATCH, `${String(process.pid)}-${machineMark()}-${name}`);
  }

  /** Whether a folder for a run is one of this machine that has ended. */
  isStopped(name: string): boolean {
    const [, pid, machine] = /^(\d+)-([0-9a-f]{8})-/.exec(name) ?? [];
    return machine === machineMark() && !isRunning(Number(pid));
  }

  /** Name of the folder for what only this version of the code reads. */
  get codeFolder(): string {
    return `${CODE}${this.code}`;
  }
}

const CODE = 'code-';

/** Whether a name is that of a folder for one version of the code. */
export function isCodeFolder(name: string): boolean {
  return name.startsWith(CODE);
}

/** The text of a file that was kept, marked as used; undefined where it cannot be read. */
function readUsed(path: string, now: number): string | undefined {
  let fd: number;
  try {
    fd = openSync(path, 'r+');
  } catch {
    return existsSync(path) ? readPlain(path) : undefined;
  }
  try {
    if (now - fstatSync(fd).mtimeMs > USED_AGAIN_MS) futimesSync(fd, now / 1000, now / 1000);
    return readFileSync(fd, 'utf8');
  } catch {
    return undefined;
  } finally {
    closeSync(fd);
  }
}

function readPlain(path: string): string | undefined {
  try {
    return readFileSync(path, 'utf8');
  } catch {
    return undefined;
  }
}
