/**
 * Unpacks a wheel into a folder of the store and verifies it (the binary distribution format, PEP 427; RECORD, PEP 376
 * and 627). What is unpacked never changes again, so every later build takes it from there.
 */
import { mkdirSync, readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { yieldNow } from '../../../base/yield';
import { EmballageError } from '../../../base/errors';
import { printable } from '../../../base/text';
import { withFileSource } from '../../../disk/file-source';
import { unpackEntryTo } from '../../../disk/unpack/unpack-entry';
import { holdToBound } from '../../../disk/unpack/unpacked-bound';
import { unpackOnce, unpackTogether, type UnpackedFile } from '../../../disk/unpack/unpack-once';
import { guarded } from '../../../disk/write';
import { describeFault, openZip, type ByteSource, type ZipEntry } from '../../../formats/zip';
import { normalizeName } from '../versions/marker';
import { readHeaders } from './metadata';
import { readRecord, type RecordRow } from './record';
import { parseWheelName } from '../versions/tags';

export type { UnpackedFile } from '../../../disk/unpack/unpack-once';

export interface UnpackedWheel {
  /** Absolute path of the folder with the files. */
  readonly folder: string;
  /** `levels-2.0.dist-info`. */
  readonly distInfo: string;
  readonly files: readonly UnpackedFile[];
}

/** Files that RECORD does not vouch for: itself and its signatures. */
const UNRECORDED = /^[^/]+\.dist-info\/RECORD(?:\.jws|\.p7s)?$/;
const MANIFEST = 'wheel.json';

export interface WheelRequest {
  /** Absolute path of the wheel, whose digest has been verified. */
  readonly path: string;
  /** File name, for messages and for what it says of name and version. */
  readonly file: string;
  /** Absolute path of the folder to unpack to; taken as it is when it is there. */
  readonly folder: string;
  /** What it may unpack to. */
  readonly mostBytes: number;
}

/** Unpacks many, in all cores, so that each is found unpacked. @throws EmballageError PACKAGE_INVALID of the first */
export function unpackWheels(wheels: readonly WheelRequest[], threads: number): Promise<void> {
  const script = join(__dirname, 'unpack-worker.js');
  return unpackTogether(wheels, threads, { script, manifest: MANIFEST, unpack: unpackWheel });
}

/** @throws EmballageError PACKAGE_INVALID; then nothing is left behind */
export async function unpackWheel({ path, file, folder, mostBytes }: WheelRequest): Promise<UnpackedWheel> {
  return unpackOnce({ folder, manifest: MANIFEST, shown: file, mostBytes }, (files) =>
    withFileSource(path, file, (source) => unpackInto(source, file, { folder: files, mostBytes })),
  );
}

async function unpackInto(
  source: ByteSource,
  file: string,
  { folder, mostBytes }: Pick<WheelRequest, 'folder' | 'mostBytes'>,
): Promise<Omit<UnpackedWheel, 'folder'>> {
  const archive = openZip(source, file);
  holdToBound(file, archive.entries, mostBytes);
  const [fault] = archive.faults;
  if (fault !== undefined) throw badWheel(file, 'a sound archive', describeFault(fault));
  const distInfo = findDistInfo(archive.entries, file);
  const files: UnpackedFile[] = [];
  const folders = new Set<string>();
  for (const entry of archive.entries) {
    if (entry.kind === 'folder') continue;
    if (entry.kind === 'link') throw badWheel(file, 'files and folders', `a link, ${printable(entry.path)}`);
    const path = join(folder, entry.path);
    if (!folders.has(dirname(path))) guarded(path, () => mkdirSync(dirname(path), { recursive: true }));
    folders.add(dirname(path));
    files.push(await unpackEntry(source, entry, path));
    await yieldNow();
  }
  const read = (name: string): string | undefined =>
    files.some((one) => one.path === `${distInfo}/${name}`)
      ? readFileSync(join(folder, distInfo, name), 'utf8')
      : undefined;
  checkFormat(read('WHEEL'), file);
  checkRecord(read('RECORD'), files, file);
  return { distInfo, files };
}

async function unpackEntry(source: ByteSource, entry: ZipEntry, path: string): Promise<UnpackedFile> {
  const sha256 = await unpackEntryTo(source, entry, path);
  return { path: entry.path, sha256, size: entry.size, isProgram: ((entry.mode ?? 0) & 0o111) !== 0 };
}

function findDistInfo(entries: readonly ZipEntry[], file: string): string {
  const folders = new Set(entries.flatMap(({ path }) => /^([^/]+\.dist-info)\//.exec(path)?.[1] ?? []));
  const [folder, other] = folders;
  if (folder === undefined || other !== undefined)
    throw badWheel(file, 'one .dist-info folder', other === undefined ? 'none' : `${String(folders.size)} of them`);
  const name = normalizeName(folder.split('-')[0] ?? '');
  const wanted = parseWheelName(file)?.name;
  if (wanted !== undefined && name !== wanted)
    throw badWheel(file, `the .dist-info folder of ${wanted}`, `\`${printable(folder)}\``);
  return folder;
}

function checkFormat(text: string | undefined, file: string): void {
  const [version] = readHeaders(text ?? '').get('wheel-version') ?? [];
  // A greater minor version is compatible, a greater major one is not.
  if (version === undefined || !/^1\.\d+$/.test(version))
    throw badWheel(
      file,
      'a file WHEEL that says Wheel-Version 1.x',
      version === undefined ? 'none' : `\`${printable(version)}\``,
    );
}

/** Every file must be in RECORD with its digest, and every file in RECORD must be there. */
function checkRecord(text: string | undefined, files: readonly UnpackedFile[], file: string): void {
  if (text === undefined) throw badWheel(file, 'a file RECORD', 'none');
  const rows = new Map(readRecord(text).map((row) => [row.path, row]));
  for (const one of files) {
    if (UNRECORDED.test(one.path)) continue;
    const row = rows.get(one.path);
    rows.delete(one.path);
    const wrong = row === undefined ? 'a file that RECORD does not list' : faultOf(row, one);
    if (wrong !== undefined) throw badWheel(file, 'files as RECORD lists them', `${printable(one.path)}: ${wrong}`);
  }
  const [missing] = [...rows.keys()].filter((path) => !UNRECORDED.test(path) && !path.endsWith('/'));
  if (missing !== undefined) throw badWheel(file, 'every file that RECORD lists', `${printable(missing)} missing`);
}

/** Digests weaker than SHA-256 must not be used in RECORD; stronger ones are left to the wheel's own digest. */
function faultOf(row: RecordRow, file: UnpackedFile): string | undefined {
  if (row.algorithm === undefined || row.algorithm === 'md5' || row.algorithm === 'sha1')
    return 'no digest that counts';
  if (row.algorithm === 'sha256' && row.digest !== Buffer.from(file.sha256, 'hex').toString('base64url'))
    return 'another digest than RECORD says';
  return row.size !== undefined && row.size !== file.size ? 'another size than RECORD says' : undefined;
}

/** The error for a wheel that is none. */
export function badWheel(file: string, expected: string, found: string): EmballageError {
  return new EmballageError('PACKAGE_INVALID', {
    doing: 'unpacking a wheel',
    where: printable(file),
    expected,
    found,
    mend: 'ask who made the wheel, or choose another version',
  });
}
