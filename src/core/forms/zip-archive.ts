/** Archives of the zip format (PKWARE APPNOTE) as artifacts: as rules see them, and what they weigh. */
import { withFileSource } from '../disk/file-source';
import type { Subject } from '../findings/rule';
import { textReader } from '../findings/texts';
import type { ByteSource } from '../formats/byte-source';
import {
  entryChunks,
  listEntries,
  openZip,
  readEntry,
  ZipFaultError,
  type ZipArchive,
  type ZipEntry,
  type ZipFault,
} from '../formats/zip';
import type { Weighing } from '../languages';
import type { FormFacts } from '../sheet';
import type { OpenRequest } from './form';
import {
  asParts,
  countFiles,
  ownerByPath,
  programParts,
  UNKNOWN,
  zipParts,
  type Knowing,
  type ReadParts,
  type ReadPartsRequest,
} from './weighing';

/** Opens an archive for as long as `use` runs. */
export function withArchive<T>(
  { path, shown, form, isVerified }: OpenRequest,
  use: (subject: Subject) => Promise<T>,
): Promise<T> {
  return withFileSource(path, shown, async (source) => {
    const archive = openZip(source, shown);
    const contentFaults = isVerified ? [] : await findContentFaults(source, archive);
    return use(makeSubject(form, source, archive, contentFaults));
  });
}

function makeSubject(
  form: FormFacts,
  source: ByteSource,
  archive: ZipArchive,
  contentFaults: readonly ZipFault[],
): Subject {
  // What is at fault is not read: it may be there many times over, or be far larger than it says.
  const known = new Set(archive.faults.map((fault) => fault.entry));
  const byPath = new Map(archive.entries.flatMap((entry) => (known.has(entry.path) ? [] : [[entry.path, entry]])));
  const readBytes = (path: string, maxBytes: number): Uint8Array | undefined => {
    const entry = byPath.get(path);
    if (entry?.kind !== 'file' || entry.size > maxBytes) return undefined;
    try {
      return readEntry(source, entry, maxBytes);
    } catch {
      // What is wrong with it is a fault of its own.
      return undefined;
    }
  };
  return {
    form,
    packedBytes: source.size,
    entries: archive.entries,
    faults: [...archive.faults, ...contentFaults],
    readText: textReader(readBytes),
    readBytes,
    pieces: (path) => soundPieces(source, byPath.get(path)),
  };
}

/** The content of a file as far as it is sound: what is wrong with it is a fault of its own. */
async function* soundPieces(source: ByteSource, entry: ZipEntry | undefined): AsyncGenerator<Uint8Array> {
  if (entry?.kind !== 'file') return;
  try {
    yield* entryChunks(source, entry);
  } catch (error) {
    if (!(error instanceof ZipFaultError)) throw error;
  }
}

/** Unpacks every entry to nowhere, to see whether it can be. Entries that are already at fault are passed over. */
async function findContentFaults(source: ByteSource, archive: ZipArchive): Promise<ZipFault[]> {
  const known = new Set(archive.faults.map((fault) => fault.entry));
  const faults: ZipFault[] = [];
  for (const entry of archive.entries) {
    if (known.has(entry.path) || entry.kind === 'folder') continue;
    try {
      for await (const _chunk of entryChunks(source, entry));
    } catch (error) {
      if (!(error instanceof ZipFaultError)) throw error;
      faults.push(error.fault);
    }
  }
  return faults;
}

/** What its entries weigh, with what is in the program that it starts. */
export function weighArchive({ path, shown }: ReadPartsRequest, knowing: Knowing): Promise<ReadParts> {
  return withFileSource(path, shown, (source) => {
    const plain = zipParts(source.size, listEntries(source, shown));
    const opened = (): ZipArchive => openZip(source, shown);
    const { waybill, languages } = knowing;
    const ownerOf = waybill === undefined ? ownerByPath(languages, listedIn(source, opened(), languages)) : undefined;
    return {
      size: source.size,
      files: countFiles(plain),
      parts: programParts(asParts(plain, knowing, ownerOf ?? (() => UNKNOWN)), knowing, (part, size) => {
        const entry = opened().entries.find((one) => one.path === part && one.size === size);
        return entry === undefined ? undefined : readEntry(source, entry, size);
      }),
      packedIsShared: false,
    };
  });
}

const MOST_LIST_BYTES = 16 * 1024 ** 2;

/** The package of each file, where files of the archive list what packages have. */
function listedIn(
  source: ByteSource,
  { entries }: ZipArchive,
  languages: readonly Weighing[],
): ReadonlyMap<string, string> {
  const read = (path: string, size: number): string => {
    const entry = size > MOST_LIST_BYTES ? undefined : entries.find((one) => one.path === path);
    try {
      return entry === undefined ? '' : Buffer.from(readEntry(source, entry, MOST_LIST_BYTES)).toString('utf8');
    } catch {
      // What cannot be read says nothing of its package.
      return '';
    }
  };
  return new Map(
    languages.flatMap(({ lists }) =>
      entries
        .filter(({ path }) => lists?.path.test(path))
        .flatMap(({ path, size }) => [...(lists?.read(path, read(path, size)) ?? [])]),
    ),
  );
}
