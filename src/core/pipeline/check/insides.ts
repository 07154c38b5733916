/** What lies inside the files of an artifact: secrets, traces of this machine. Looked for once, and remembered by its digest. */
import { contentDigest } from '../../disk/digest';
import type { FoundSecret, FoundTrace, FunctionFacts, Subject, Surroundings } from '../../findings/rule';
import { contentsOf, scanBytes } from '../../findings/secrets';
import { findTraces, wordsOf, type TraceWord } from '../../findings/traces';
import { functionPath } from '../../forms/image';
import { KINDS, type StateFolder } from '../../project/state/state';

/** A file that is larger is looked through a window at a time, and archives in it are not opened. */
const MOST_WHOLE_BYTES = 64 * 1024 ** 2;
const WINDOW_BYTES = 16 * 1024 ** 2;
/** So much of a window is seen in the next one, too: more than any secret is long. */
const OVERLAP_BYTES = 64 * 1024;

export interface InsidesRequest {
  readonly subject: Subject;
  readonly facts: Pick<FunctionFacts, 'settings' | 'waybill' | 'surroundings'>;
  /** Where it is remembered; nowhere without it, nor where the artifact is not known. */
  readonly state: StateFolder | undefined;
}

export interface Insides {
  readonly secrets: readonly FoundSecret[];
  readonly traces: readonly FoundTrace[];
}

/** What lies inside the files of an artifact; what was found before where the artifact is the same. */
export async function insidesOf({ subject, facts, state }: InsidesRequest): Promise<Insides> {
  const words = wordsOf(facts.surroundings);
  const name = memoryName(facts.waybill?.artifact.sha256, facts.surroundings);
  const known = name === undefined ? undefined : (state?.recall(KINDS.insides, name) as Insides | undefined);
  const found = known ?? (await lookInto(subject, words));
  if (known === undefined && name !== undefined) state?.remember(KINDS.insides, name, found);
  return { ...found, secrets: [...found.secrets, ...inSettings(facts)] };
}

function memoryName(sha256: string | undefined, surroundings: Surroundings | undefined): string | undefined {
  if (sha256 === undefined) return undefined;
  return `${sha256}-${contentDigest(JSON.stringify(surroundings ?? {})).slice(0, 16)}.json`;
}

async function lookInto(subject: Subject, words: readonly TraceWord[]): Promise<Insides> {
  const secrets: FoundSecret[] = [];
  const traces: FoundTrace[] = [];
  const look = (file: string, path: string, bytes: Uint8Array, linesBefore?: number): void => {
    const isWindow = linesBefore !== undefined;
    for (const { detector, line, fingerprint } of scanBytes(bytes)) {
      const found = { path, file, line: line === 0 ? 0 : line + (linesBefore ?? 0), what: detector.title, fingerprint };
      // Two windows see what stands where they overlap.
      const isKnown = isWindow && secrets.some((one) => one.path === path && one.fingerprint === fingerprint);
      if (!isKnown) secrets.push(found);
    }
    for (const what of findTraces(bytes, words))
      if (!traces.some((one) => one.path === path && one.what === what)) traces.push({ path, file, what });
  };
  for (const { path, size, whole, pieces } of filesOf(subject)) {
    if (size > MOST_WHOLE_BYTES) {
      for await (const { bytes, linesBefore } of windows(pieces())) look(path, path, bytes, linesBefore);
      continue;
    }
    const bytes = whole();
    if (bytes !== undefined) for (const content of contentsOf(path, bytes)) look(path, content.path, content.bytes);
  }
  return { secrets, traces };
}

/** Pieces put together to windows that overlap, each with the lines that stand before it. */
async function* windows(
  pieces: AsyncIterable<Uint8Array> | Iterable<Uint8Array>,
): AsyncGenerator<{ readonly bytes: Uint8Array; readonly linesBefore: number }> {
  const window = Buffer.allocUnsafe(WINDOW_BYTES);
  let [length, linesBefore] = [0, 0];
  for await (const piece of pieces)
    for (let at = 0; at < piece.length;) {
      const part = piece.subarray(at, at + WINDOW_BYTES - length);
      window.set(part, length);
      at += part.length;
      length += part.length;
      if (length < WINDOW_BYTES) continue;
      yield { bytes: window, linesBefore };
      linesBefore += linesIn(window.subarray(0, WINDOW_BYTES - OVERLAP_BYTES));
      window.copyWithin(0, WINDOW_BYTES - OVERLAP_BYTES);
      length = OVERLAP_BYTES;
    }
  yield { bytes: window.subarray(0, length), linesBefore };
}

function linesIn(bytes: Buffer): number {
  let lines = 0;
  for (let at = bytes.indexOf(10); at >= 0; at = bytes.indexOf(10, at + 1)) lines += 1;
  return lines;
}

interface InsideFile {
  readonly path: string;
  readonly size: number;
  readonly whole: () => Uint8Array | undefined;
  readonly pieces: () => AsyncIterable<Uint8Array> | Iterable<Uint8Array>;
}

/** Of an image everything, what it stands on as well. */
function* filesOf({ entries, readBytes, pieces, image }: Subject): Generator<InsideFile> {
  if (image === undefined) {
    for (const { path, kind, size } of entries)
      if (kind === 'file')
        yield { path, size, whole: () => readBytes(path, MOST_WHOLE_BYTES), pieces: () => pieces(path) };
    return;
  }
  for (const { path, node } of image.tree.walk()) {
    const { kind, size } = node.head;
    if (kind === 'file')
      yield { path: functionPath(path), size, whole: () => image.read(node, 0, size), pieces: () => pieces(path) };
  }
}

/** What is to be secret stands in no sheet. */
function* inSettings({ settings = [] }: InsidesRequest['facts']): Generator<FoundSecret> {
  for (const { name, sample, values = {} } of settings)
    for (const value of new Set([sample, ...Object.values(values)])) {
      if (value === undefined) continue;
      const [hit] = scanBytes(Buffer.from(`${name}="${value}"\n`, 'utf8'));
      if (hit !== undefined)
        yield {
          path: name,
          file: '',
          line: 0,
          what: hit.detector.title,
          fingerprint: hit.fingerprint,
          isSetting: true,
        };
    }
}
