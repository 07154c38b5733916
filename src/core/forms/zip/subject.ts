/** An artifact as rules see it: an archive with its entries, or an executable by itself. */
import { statSync } from 'node:fs';
import { stretches, type ByteSource } from '../../formats/byte-source';
import { readNative } from '../../formats/native';
import {
  entryChunks,
  openZip,
  readEntry,
  ZipFaultError,
  type ZipArchive,
  type ZipEntry,
  type ZipFault,
} from '../../formats/zip';
import type { Subject } from '../../findings/rule';
import { textReader } from '../../findings/texts';

export interface SubjectRequest {
  /** Absolute path, and the name for messages. */
  readonly path: string;
  readonly shown: string;
  /** Whether the content of every entry is known to be whole, so that it need not be unpacked to see. */
  readonly isVerified: boolean;
}

/** @param name of the file in it, for an executable by itself */
export async function readSubject(source: ByteSource, request: SubjectRequest, name: string): Promise<Subject> {
  // An archive is told by its signature, at its beginning or before its end; everything compiled begins with its own.
  if (readNative(source) !== undefined) return executableSubject(source, request.path, name);
  const archive = openZip(source, request.shown);
  const contentFaults = request.isVerified ? [] : await findContentFaults(source, archive);
  return makeSubject(source, archive, contentFaults, request.shown);
}

function executableSubject(source: ByteSource, path: string, name: string): Subject {
  return {
    form: 'binary',
    packedBytes: source.size,
    entries: [{ path: name, kind: 'file', mode: statSync(path).mode & 0o777, size: source.size }],
    faults: [],
    readText: () => undefined,
    readBytes: (wanted, maxBytes) =>
      wanted === name && source.size <= maxBytes ? source.read(0, source.size) : undefined,
    pieces: (wanted) => (wanted === name ? stretches(source.size, (at, length) => source.read(at, length)) : []),
  };
}

function makeSubject(
  source: ByteSource,
  archive: ZipArchive,
  contentFaults: readonly ZipFault[],
  name: string,
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
    form: /\.jar$/i.test(name) ? 'jar' : 'zip',
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
