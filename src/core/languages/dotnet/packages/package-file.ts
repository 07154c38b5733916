/** Unpacks a package (`.nupkg`, an archive by the Open Packaging Conventions) into a folder of the store. */
import { mkdirSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { yieldNow } from '../../../base/yield';
import { EmballageError } from '../../../base/errors';
import { printable } from '../../../base/text';
import { withFileSource } from '../../../disk/file-source';
import { unpackEntryTo } from '../../../disk/unpack/unpack-entry';
import { unpackOnce, type UnpackedFile } from '../../../disk/unpack/unpack-once';
import { holdToBound } from '../../../disk/unpack/unpacked-bound';
import { guarded } from '../../../disk/write';
import { sourceOfBytes, type ByteSource } from '../../../formats/byte-source';
import { describeFault, openZip, readEntry, type ZipArchive, type ZipEntry } from '../../../formats/zip';
import { SIGNATURE } from './content-hash';
import { readNuspec, type Nuspec } from './nuspec';

/** What the conventions of the archive itself need. */
const OF_ARCHIVE = /^(?:_rels\/|package\/|\[Content_Types\]\.xml$)/;
const MANIFEST = 'package.json';
const MOST_NUSPEC_BYTES = 4 * 1024 * 1024;
const MOST_ENTRIES = 100_000;

export interface UnpackedPackage {
  readonly folder: string;
  readonly files: readonly UnpackedFile[];
}

export interface PackageToUnpack {
  /** Absolute path of the file, whose digest was verified. */
  readonly path: string;
  /** Its name, for messages. */
  readonly file: string;
  /** Absolute path of the folder to unpack to; taken as it is when it is there. */
  readonly folder: string;
  /** What it may unpack to. */
  readonly mostBytes: number;
}

/** @throws EmballageError PACKAGE_INVALID */
export function unpackPackage({ path, file, folder, mostBytes }: PackageToUnpack): Promise<UnpackedPackage> {
  return unpackOnce({ folder, manifest: MANIFEST, shown: file, mostBytes }, (target) =>
    withFileSource(path, file, async (source) => {
      const files: UnpackedFile[] = [];
      for (const entry of soundArchive(source, file, mostBytes).entries) {
        if (entry.kind === 'folder' || OF_ARCHIVE.test(entry.path)) continue;
        files.push(await unpackEntry(source, entry, target, file));
        await yieldNow();
      }
      return { files };
    }),
  );
}

/** The manifest of a package in memory. @throws EmballageError PACKAGE_INVALID */
export function nuspecIn(bytes: Uint8Array, file: string): { readonly nuspec: Nuspec; readonly text: string } {
  const source = sourceOfBytes(bytes);
  const found = soundArchive(source, file).entries.filter(({ path }) => /^[^/]+\.nuspec$/i.test(path));
  const [entry, other] = found;
  if (entry === undefined || other !== undefined)
    throw badPackage(file, 'one `.nuspec`', entry === undefined ? 'none' : `${String(found.length)} of them`);
  const text = Buffer.from(readEntry(source, entry, MOST_NUSPEC_BYTES)).toString('utf8');
  return { nuspec: readNuspec(text, `${file}: ${entry.path}`), text };
}

function soundArchive(source: ByteSource, file: string, mostBytes = Infinity): ZipArchive {
  const archive = openZip(source, file, { entries: MOST_ENTRIES, unpackedBytes: Infinity });
  holdToBound(file, archive.entries, mostBytes);
  const [fault] = archive.faults;
  if (fault !== undefined) throw badPackage(file, 'a sound archive', describeFault(fault));
  const link = archive.entries.find(({ kind }) => kind === 'link');
  if (link !== undefined) throw badPackage(file, 'files and folders', `a link, ${printable(link.path)}`);
  return archive;
}

async function unpackEntry(source: ByteSource, entry: ZipEntry, target: string, file: string): Promise<UnpackedFile> {
  const name = entry.path === SIGNATURE ? SIGNATURE : plainName(entry.path, file);
  const path = join(target, name);
  guarded(path, () => mkdirSync(dirname(path), { recursive: true }));
  const sha256 = await unpackEntryTo(source, entry, path);
  return { path: name, sha256, size: entry.size, isProgram: false };
}

/** The conventions have names escaped as in addresses; what they come to must not leave the folder. */
function plainName(path: string, file: string): string {
  let plain: string;
  try {
    plain = decodeURIComponent(path);
  } catch {
    return path;
  }
  if (/(?:^|\/)\.\.?(?:\/|$)|^\/|[\0\\]/.test(plain))
    throw badPackage(file, 'paths inside the package', printable(path));
  return plain;
}

/** The error for a package that is none. */
export function badPackage(file: string, expected: string, found: string): EmballageError {
  return new EmballageError('PACKAGE_INVALID', {
    doing: 'unpacking a package',
    where: printable(file),
    expected,
    found,
    mend: 'ask who made the package, or choose another version',
  });
}
