/** Layers as plain tar archives: unpacked, verified against their digests, and listed while they go by. */
import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { open as openFile, type FileHandle } from 'node:fs/promises';
import { createGunzip } from 'node:zlib';
import { EmballageError, messageOf } from '../base/errors';
import { formatSize } from '../base/units';
import { badImage, hexOf, readableCompression, type Descriptor, type Stretch } from '../formats/oci';
import { streamTar, type PlacedHead } from '../formats/tar';

/** What a layer may unpack to without a question, and how much larger than it is packed it may be beyond that. */
const FREE_BYTES = 1024 ** 3;
const MAX_RATIO = 100;

/**
 * The plain archive of a layer: where it lies if it is not compressed, else unpacked to `to.path`. Its entries are listed
 * while it goes by.
 */
export async function plainLayer(
  stretch: Stretch,
  { mediaType, digest }: Descriptor,
  diffId: string,
  to: { readonly path: string; readonly shown: string },
): Promise<{ stretch: Stretch; entries: PlacedHead[] }> {
  const compression = readableCompression(mediaType, to.shown);
  const packed = createHash('sha256');
  const pieces = hashed(readPieces(stretch), packed);
  const most = Math.max(FREE_BYTES, stretch.size * MAX_RATIO);
  const passing = new Passing(compression === 'none' ? pieces : gunzipped(pieces, to.shown), most, to.shown);
  const output = compression === 'none' ? undefined : await openFile(to.path, 'w', 0o600);
  const { entries, fault } = await listed(passing.through(output), to.shown).finally(() => output?.close());
  const found = packed.digest('hex');
  if (found !== hexOf(digest)) throw badImage(to.shown, `the content of \`${digest}\``, `that of sha256:${found}`);
  const whole = passing.digest();
  if (whole !== hexOf(diffId))
    throw badImage(to.shown, `the unpacked content of \`${diffId}\``, `that of sha256:${whole}`);
  if (fault !== undefined) throw fault;
  return { stretch: compression === 'none' ? stretch : { path: to.path, at: 0, size: passing.size }, entries };
}

/** The entries of an archive that goes by to its end. What is wrong with it is told when its digest is known to be right. */
async function listed(
  plain: AsyncGenerator<Uint8Array>,
  shown: string,
): Promise<{ entries: PlacedHead[]; fault: EmballageError | undefined }> {
  const entries: PlacedHead[] = [];
  let fault: EmballageError | undefined;
  try {
    for await (const { head, at } of streamTar(plain, shown)) entries.push({ head, at });
  } catch (error) {
    if (!(error instanceof EmballageError) || error.code !== 'PACKAGE_INVALID') throw error;
    fault = error;
  }
  for await (const _rest of plain);
  return { entries, fault };
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
