/** Artifacts that are one file: taken from the store by what went into them, or packed into it. */
import { createHash } from 'node:crypto';
import { chmodSync } from 'node:fs';
import { contentDigest } from '../disk/digest';
import { filePieces, OpenFiles } from '../disk/file-source';
import { guarded } from '../disk/write';
import { PROGRAM_MODE, type FileSet, type PackedFile } from '../fileset/model';
import { DEFLATE_ENCODER, SEGMENT_BYTES } from '../formats/deflate';
import { DOS_FLOOR, formatDosTime, toDosTime, type DosTime } from '../formats/zip';
import type { FormFacts } from '../sheet';
import { filesDigest } from '../waybill';
import type { Made, MakeRequest } from './form';
import type { Packed, PackRequest, StoredArtifact } from './packing';

/**
 * Makes an artifact of a file set.
 * @param pack writes it; the bytes that it writes depend on what it is given, on the form, and on `more`
 * @param more what else the form writes into it
 */
export async function makePacked(
  request: MakeRequest,
  pack: (packing: PackRequest) => Packed | Promise<Packed>,
  more: readonly string[] = [],
): Promise<Made> {
  const time = request.epochSeconds === undefined ? DOS_FLOOR : toDosTime(request.epochSeconds);
  const keying = { form: request.spec.form, time, more };
  return findInStore(request, keying) ?? packAnew(request, keying, pack);
}

/** The content of a file, in pieces of SEGMENT_BYTES. @param memory in which they lie one after the other */
export function piecesOf(file: PackedFile, memory?: Buffer<ArrayBuffer>): Generator<Buffer<ArrayBuffer>> {
  const shown = file.origin.from === 'source' ? file.origin.at : file.path;
  return filePieces(file.source, shown, file.stamp, SEGMENT_BYTES, memory);
}

/** SHA-256 of its content, in hexadecimal. */
export function hashOf(file: PackedFile): string {
  const hash = createHash('sha256');
  for (const piece of piecesOf(file)) hash.update(piece);
  return hash.digest('hex');
}

/** What the bytes of an artifact depend on beside its files. */
interface Keying {
  readonly form: FormFacts;
  readonly time: DosTime;
  readonly more: readonly string[];
}

/** After an earlier build most digests are known; the rest is read, and the store is asked. */
function findInStore({ assembly, known, store }: MakeRequest, keying: Keying): Made | undefined {
  if (known === undefined) return undefined;
  const digests = new Map<string, string>();
  let hashed = 0;
  for (const entry of assembly.fileSet.entries) {
    if (entry.kind === 'folder') continue;
    const found = entry.kind === 'file' ? (entry.sha256 ?? known.get(entry.path)) : undefined;
    if (found === undefined && entry.kind === 'file') hashed += 1;
    digests.set(entry.path, found ?? (entry.kind === 'file' ? hashOf(entry) : contentDigest(entry.target)));
  }
  const key = keyOf(keying, assembly.fileSet, digests);
  const artifact = store.find(key);
  if (artifact === undefined) return undefined;
  return stored(store, key, keying.time, { artifact, digests, packed: 0, hashed });
}

function stored(
  store: MakeRequest['store'],
  key: string,
  time: DosTime,
  made: {
    readonly artifact: StoredArtifact;
    readonly digests: ReadonlyMap<string, string>;
    readonly packed: number;
    readonly hashed: number;
  },
): Made {
  return { ...made, time: formatDosTime(time), place: (path) => store.place(key, path) };
}

async function packAnew(
  { assembly: { fileSet }, spec, store, compressor, onPack }: MakeRequest,
  keying: Keying,
  pack: (packing: PackRequest) => Packed | Promise<Packed>,
): Promise<Made> {
  const { time } = keying;
  const totalBytes = fileSet.entries.reduce((sum, entry) => sum + (entry.kind === 'file' ? entry.size : 0), 0);
  const sink = store.begin();
  const stretches = new OpenFiles();
  try {
    const memory = Buffer.allocUnsafeSlow(Math.min(totalBytes, SEGMENT_BYTES));
    const { size, unpacked, digests } = await pack({
      fileSet,
      pieces: (file) => piecesOf(file, memory),
      compressor,
      sink,
      time,
      stretch: (file, content) => stretches.read(file.source, content),
      onProgress: (doneBytes) => onPack(doneBytes, totalBytes),
    });
    const artifact = { sha256: sink.close(), size, unpacked };
    if (spec.form.isProgram === true) guarded(spec.name, () => chmodSync(sink.path, PROGRAM_MODE));
    const key = keyOf(keying, fileSet, digests);
    store.keep(key, sink, artifact);
    return stored(store, key, time, { artifact, digests, packed: fileSet.entries.length, hashed: digests.size });
  } catch (error) {
    sink.discard();
    throw error;
  } finally {
    stretches.close();
  }
}

/** What the artifact's bytes depend on. */
function keyOf({ form, time, more }: Keying, fileSet: FileSet, digests: ReadonlyMap<string, string>): string {
  const files = filesDigest(fileSet, digests);
  return contentDigest([form.id, DEFLATE_ENCODER, time.date, time.time, files, ...more].join('\n'));
}
