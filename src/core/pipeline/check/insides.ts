/** What lies inside the files of an artifact: secrets, traces of this machine. Looked for once, and remembered by its digest. */
import { contentDigest } from '../../disk/digest';
import type { FoundSecret, FoundTrace, FunctionFacts, Subject, Surroundings } from '../../findings/rule';
import { contentsOf, scanBytes } from '../../findings/secrets';
import { findTraces, wordsOf, type TraceWord } from '../../findings/traces';
import { functionPath } from '../image';
import { KINDS, type StateFolder } from '../../project/state';

/** A file that is larger is not looked into. */
const MOST_FILE_BYTES = 2 * 1024 ** 3;

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

export function insidesOf({ subject, facts, state }: InsidesRequest): Insides {
  const words = wordsOf(facts.surroundings);
  const name = memoryName(facts.waybill?.artifact.sha256, facts.surroundings);
  const known = name === undefined ? undefined : (state?.recall(KINDS.insides, name) as Insides | undefined);
  const found = known ?? lookInto(subject, words);
  if (known === undefined && name !== undefined) state?.remember(KINDS.insides, name, found);
  return { ...found, secrets: [...found.secrets, ...inSettings(facts)] };
}

function memoryName(sha256: string | undefined, surroundings: Surroundings | undefined): string | undefined {
  if (sha256 === undefined) return undefined;
  return `${sha256}-${contentDigest(JSON.stringify(surroundings ?? {})).slice(0, 16)}.json`;
}

function lookInto(subject: Subject, words: readonly TraceWord[]): Insides {
  const secrets: FoundSecret[] = [];
  const traces: FoundTrace[] = [];
  for (const { path, read } of filesOf(subject)) {
    const bytes = read();
    if (bytes === undefined) continue;
    for (const content of contentsOf(path, bytes)) {
      for (const { detector, line, fingerprint } of scanBytes(content.bytes))
        secrets.push({ path: content.path, file: path, line, what: detector.title, fingerprint });
      for (const what of findTraces(content.bytes, words)) traces.push({ path: content.path, file: path, what });
    }
  }
  return { secrets, traces };
}

/** Of an image everything, what it stands on as well. */
function* filesOf({
  entries,
  readBytes,
  image,
}: Subject): Generator<{ path: string; read: () => Uint8Array | undefined }> {
  if (image === undefined) {
    for (const { path, kind } of entries)
      if (kind === 'file') yield { path, read: () => readBytes(path, MOST_FILE_BYTES) };
    return;
  }
  for (const { path, node } of image.tree.walk()) {
    const { kind, size } = node.head;
    if (kind === 'file' && size <= MOST_FILE_BYTES)
      yield { path: functionPath(path), read: () => image.read(node, 0, size) };
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
