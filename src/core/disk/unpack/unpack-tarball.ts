/** Unpacks the tarball of a package into a folder of the store. No script in it is ever run. */
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { gunzipSync } from 'node:zlib';
import { yieldNow } from '../../base/yield';
import { EmballageError, isRangeError, messageOf } from '../../base/errors';
import { printable } from '../../base/text';
import { unpackOnce, type UnpackedFile } from './unpack-once';
import { tooLarge } from './unpacked-bound';
import { guarded } from '../write';
import { readTar } from '../../formats/tar';

export interface UnpackedTarball {
  /** Absolute path of the folder with the files. */
  readonly folder: string;
  readonly files: readonly UnpackedFile[];
}

const MANIFEST = 'tarball.json';

export interface TarballRequest {
  /** Absolute path of the tarball, whose digest has been verified. */
  readonly path: string;
  /** File name, for messages. */
  readonly file: string;
  /** Absolute path of the folder to unpack to; taken as it is when it is there. */
  readonly folder: string;
  /** What it may unpack to. */
  readonly mostBytes: number;
  /** The file without which it is none of the packages that are wanted. */
  readonly mustHave: string;
  /** Files that are put beside those of the package where it has none of that name, by path. */
  readonly beside?: Readonly<Record<string, string>>;
}

/** @throws EmballageError PACKAGE_INVALID; then nothing is left behind */
export function unpackTarball(request: TarballRequest): Promise<UnpackedTarball> {
  const { path, file, folder, mustHave, mostBytes, beside = {} } = request;
  return unpackOnce({ folder, manifest: MANIFEST, shown: file, mostBytes }, async (files) => {
    const unpacked = await unpackInto(gunzip(readFileSync(path), file, mostBytes), { file, mustHave }, files);
    for (const [name, text] of Object.entries(beside))
      if (!existsSync(join(files, name))) guarded(file, () => writeFileSync(join(files, name), text));
    return { files: unpacked };
  });
}

/** Its headers count too. @throws EmballageError PACKAGE_INVALID */
export function gunzip(bytes: Uint8Array, file: string, mostBytes: number): Buffer {
  try {
    return gunzipSync(bytes, { maxOutputLength: mostBytes });
  } catch (error) {
    const isTooBig = isRangeError(error) || messageOf(error).includes('larger than');
    if (isTooBig) throw tooLarge(file, mostBytes, 'more', error);
    throw bad(file, 'a gzip-compressed archive', 'data that is none', error);
  }
}

async function unpackInto(
  tar: Buffer,
  { file, mustHave }: Pick<TarballRequest, 'file' | 'mustHave'>,
  folder: string,
): Promise<UnpackedFile[]> {
  const files = new Map<string, UnpackedFile>();
  for (const entry of readTar(tar, file)) {
    // Everything lies in one folder.
    const path = entry.path.slice(entry.path.indexOf('/') + 1);
    if (entry.kind === 'folder' || path === '') continue;
    if (entry.kind !== 'file') throw bad(file, 'files and folders', `a link, ${printable(entry.path)}`);
    const target = join(folder, path);
    const isProgram = (entry.mode & 0o111) !== 0;
    guarded(target, () => {
      mkdirSync(dirname(target), { recursive: true });
      writeFileSync(target, entry.bytes, { mode: isProgram ? 0o755 : 0o644 });
    });
    const sha256 = createHash('sha256').update(entry.bytes).digest('hex');
    // Where a path comes twice the later one counts, as it does for tar.
    files.set(path, { path, sha256, size: entry.bytes.length, isProgram });
    if (files.size % 32 === 0) await yieldNow();
  }
  if (!files.has(mustHave)) throw bad(file, `a ${mustHave}`, 'none');
  return [...files.values()];
}

function bad(file: string, expected: string, found: string, cause?: unknown): EmballageError {
  return new EmballageError(
    'PACKAGE_INVALID',
    {
      doing: 'unpacking a package',
      where: printable(file),
      expected,
      found,
      mend: 'ask who made the package, or choose another version',
    },
    cause,
  );
}
