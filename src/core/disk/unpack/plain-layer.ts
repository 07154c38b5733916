/** Layers as plain tar archives: unpacked, verified against their digests, and listed while they go by. */
import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { open as openFile, type FileHandle } from 'node:fs/promises';
import { createGunzip } from 'node:zlib';
import { EmballageError, messageOf } from '../../base/errors';
import { formatSize } from '../../base/units';
import { badImage, hexOf, readableCompression, type Stretch } from '../../formats/oci';
import { streamTar, type PlacedHead } from '../../formats/tar';

/** What a layer may unpack to without a question, and how much larger than it is packed it may be beyond that. */
const FREE_BYTES = 1024 ** 3;
const MAX_RATIO = 100;

/** What lies in a layer. */
export interface LayerListing {
  /** Bytes of the plain tar archive. */
  readonly unpacked: number;
  readonly entries: readonly PlacedHead[];
  /** Where in it compiled files begin, each with its first 20 bytes in base64. */
  readonly compiled: readonly (readonly [at: number, start: string])[];
}

export interface PlainLayer {
  /** Where its plain archive lies. */
  readonly plain: Stretch;
  readonly listing: LayerListing;
}

export interface PlainLayerRequest {
  /** Where the blob lies. */
  readonly blob: Stretch;
  readonly mediaType: string;
  /** `sha256:…` of the blob, and of the plain archive. */
  readonly digest: string;
  readonly diffId: string;
  /** Absolute path of the file for the plain archive. */
  readonly path: string;
  /** Name for messages. */
  readonly shown: string;
}

/**
 * The plain archive of a layer: where it lies if it is not compressed, else unpacked. Its entries are listed while it
 * goes by.
 * @throws EmballageError IMAGE_INVALID
 */
export async function plainLayer(request: PlainLayerRequest): Promise<PlainLayer> {
  const { blob, mediaType, digest, diffId, path, shown } = request;
  const compression = readableCompression(mediaType, shown);
  const packed = createHash('sha256');
  const pieces = hashed(readPieces(blob), packed);
  const most = Math.max(FREE_BYTES, blob.size * MAX_RATIO);
  const passing = new Passing(compression === 'none' ? pieces : gunzipped(pieces, shown), most, shown);
  const output = compression === 'none' ? undefined : await openFile(path, 'w', 0o600);
  const { entries, compiled, fault } = await listed(passing.through(output), shown).finally(() => output?.close());
  holdTo(digest, packed.digest('hex'), { what: 'the content', shown });
  holdTo(diffId, passing.digest(), { what: 'the unpacked content', shown });
  if (fault !== undefined) throw fault;
  const plain = compression === 'none' ? blob : { path, at: 0, size: passing.size };
  return { plain, listing: { unpacked: plain.size, entries, compiled } };
}

/**
 * Reads a blob without unpacking it.
 * @throws EmballageError IMAGE_INVALID where it is not what its digest says
 */
export async function verifyBlob({ blob, digest, shown }: PlainLayerRequest): Promise<void> {
  const packed = createHash('sha256');
  for await (const piece of readPieces(blob)) packed.update(piece);
  holdTo(digest, packed.digest('hex'), { what: 'the content', shown });
}

function holdTo(
  digest: string,
  found: string,
  { what, shown }: { readonly what: string; readonly shown: string },
): void {
  if (found !== hexOf(digest)) throw badImage(shown, `${what} of \`${digest}\``, `that of sha256:${found}`);
}

/** The entries of an archive that goes by to its end. What is wrong with it is told when its digest is known to be right. */
async function listed(
  plain: AsyncGenerator<Uint8Array>,
  shown: string,
): Promise<Omit<LayerListing, 'unpacked'> & { readonly fault: EmballageError | undefined }> {
  const entries: PlacedHead[] = [];
  const compiled: [number, string][] = [];
  let fault: EmballageError | undefined;
  try {
    for await (const { head, at, content } of streamTar(plain, shown)) {
      entries.push({ head, at });
      const start = head.size < ELF_START_BYTES ? undefined : await startOf(content);
      if (start?.toString('latin1', 0, ELF_MAGIC.length) === ELF_MAGIC) compiled.push([at, start.toString('base64')]);
    }
  } catch (error) {
    if (!(error instanceof EmballageError) || error.code !== 'PACKAGE_INVALID') throw error;
    fault = error;
  }
  for await (const _rest of plain);
  return { entries, compiled, fault };
}

/** ELF-64 Object File Format, table 1: the magic, up to the type and the machine. */
const ELF_MAGIC = '\u007fELF';
const ELF_START_BYTES = 20;

/** The first bytes of a file; what is left of it is passed over by whoever lists. */
async function startOf(content: AsyncIterable<Uint8Array>): Promise<Buffer> {
  const start = Buffer.alloc(ELF_START_BYTES);
  let length = 0;
  for await (const piece of content) {
    start.set(piece.subarray(0, ELF_START_BYTES - length), length);
    length += piece.length;
    if (length >= ELF_START_BYTES) break;
  }
  return start;
}

/** What goes by is hashed, counted against what is allowed, and written. */
class Passing {
  size = 0;
  readonly #hash = createHash('sha256');
  readonly #pieces: AsyncIterable<Uint8Array>;
  readonly #most: number;
  readonly #shown: string;

  constructor(pieces: AsyncIterable<Uint8Array>, most: number, shown: string) {
    this.#pieces = pieces;
    this.#most = most;
    this.#shown = shown;
  }

  async *through(output: FileHandle | undefined): AsyncGenerator<Uint8Array> {
    for await (const piece of this.#pieces) {
      this.#hash.update(piece);
      this.size += piece.length;
      if (this.size > this.#most)
        throw badImage(
          this.#shown,
          `at most ${formatSize(this.#most)} unpacked, for its packed size`,
          'more than that',
        );
      await output?.writeFile(piece);
      yield piece;
    }
  }

  digest(): string {
    return this.#hash.digest('hex');
  }
}

function readPieces({ path, at, size }: Stretch): AsyncIterable<Uint8Array> {
  if (size === 0) return none();
  return createReadStream(path, { start: at, end: at + size - 1, highWaterMark: 256 * 1024 });
}

async function* none(): AsyncGenerator<Uint8Array> {
  // Nothing.
}

async function* hashed(
  pieces: AsyncIterable<Uint8Array>,
  hash: ReturnType<typeof createHash>,
): AsyncGenerator<Uint8Array> {
  for await (const piece of pieces) {
    hash.update(piece);
    yield piece;
  }
}

async function* gunzipped(pieces: AsyncIterable<Uint8Array>, shown: string): AsyncGenerator<Uint8Array> {
  const gunzip = createGunzip({ chunkSize: 256 * 1024 });
  const fed = feed(pieces, gunzip);
  fed.catch((error: unknown) => gunzip.destroy(error instanceof Error ? error : new Error(messageOf(error))));
  try {
    for await (const piece of gunzip) yield piece as Uint8Array;
    await fed;
  } catch (error) {
    if (error instanceof EmballageError) throw error;
    throw badImage(shown, 'a layer compressed with gzip', `data that is none: ${messageOf(error)}`, error);
  }
}

async function feed(pieces: AsyncIterable<Uint8Array>, gunzip: ReturnType<typeof createGunzip>): Promise<void> {
  for await (const piece of pieces) {
    if (gunzip.destroyed) return;
    if (!gunzip.write(piece)) await roomIn(gunzip);
  }
  gunzip.end();
}

/** Waits until more may be written, or nothing more will be. */
function roomIn(gunzip: ReturnType<typeof createGunzip>): Promise<void> {
  return new Promise((resolve) => {
    const done = (): void => {
      gunzip.off('drain', done).off('close', done);
      resolve();
    };
    gunzip.on('drain', done).on('close', done);
  });
}
