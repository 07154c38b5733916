/** Unpacks a package into a folder of the store, once: what is unpacked never changes again. */
import { existsSync, readFileSync, renameSync, rmSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { doInThreads } from '../threads/in-threads';
import { holdToBound } from './unpacked-bound';
import { guarded, temporaryBeside, writeWhole } from '../write';

export interface UnpackedFile {
  /** Path in the package. */
  readonly path: string;
  readonly sha256: string;
  readonly size: number;
  readonly isProgram: boolean;
}

export interface UnpackOnceRequest {
  /** Absolute path of the folder to unpack to; taken as it is when it is there. */
  readonly folder: string;
  /** Name of the file that says what was unpacked; it is written last. */
  readonly manifest: string;
  /** The package's name, for messages. */
  readonly shown: string;
  /** What its files may come to, all together. */
  readonly mostBytes: number;
}

/**
 * @param unpack writes the files below a folder that does not exist yet, and says what it wrote
 * @returns what it said, with the absolute path of the folder that holds the files
 * @throws EmballageError PACKAGE_INVALID where it is more than it may be
 */
export async function unpackOnce<T extends { readonly files: readonly UnpackedFile[] }>(
  { folder, manifest, shown, mostBytes }: UnpackOnceRequest,
  unpack: (files: string) => Promise<T> | T,
): Promise<T & { readonly folder: string }> {
  const path = join(folder, manifest);
  const files = join(folder, 'files');
  if (existsSync(path)) {
    const before = JSON.parse(readFileSync(path, 'utf8')) as T;
    // Another project may allow more.
    holdToBound(shown, before.files, mostBytes);
    return { ...before, folder: files };
  }
  const temporary = temporaryBeside(folder);
  try {
    const unpacked = await unpack(join(temporary, 'files'));
    writeWhole(join(temporary, manifest), JSON.stringify(unpacked), shown);
    guarded(folder, () => {
      // Another run may have unpacked the same package meanwhile, and be reading it.
      if (existsSync(path)) rmSync(temporary, { recursive: true, force: true });
      else {
        rmSync(folder, { recursive: true, force: true });
        renameSync(temporary, folder);
      }
    });
    return { ...unpacked, folder: files };
  } catch (error) {
    rmSync(temporary, { recursive: true, force: true });
    throw error;
  }
}

/** A package and where it is unpacked to. */
interface PackageToUnpack {
  /** Absolute path of its file. */
  readonly path: string;
  /** Absolute path of its folder in the store. */
  readonly folder: string;
}

/**
 * Unpacks packages that have not been yet, in all cores; each is then found unpacked.
 * @param how the work for one of them, what it leaves when it is done, and the script of a thread that does it
 */
export async function unpackTogether<Job extends PackageToUnpack>(
  packages: readonly Job[],
  threads: number,
  how: { readonly script: string; readonly manifest: string; readonly unpack: (one: Job) => Promise<unknown> },
): Promise<void> {
  const byFolder = new Map(packages.map((one) => [one.folder, one]));
  const open = [...byFolder.values()].filter(({ folder }) => !existsSync(join(folder, how.manifest)));
  const sized = open.map((job) => ({ job, size: statSync(job.path, { throwIfNoEntry: false })?.size ?? 0 }));
  await doInThreads(how.script, sized, threads, how.unpack);
}
