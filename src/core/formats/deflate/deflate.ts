/** Runs the deflate encoder (folder encoder/), one segment at a time. */
import { ENCODER_MODULE } from './encoder-module';

/** Names the encoder in waybills. Whenever its output changes, so must the name. */
export const DEFLATE_ENCODER = 'emballage-deflate/3';
/** Longer data is deflated in segments of so many bytes, each with what comes before it as its dictionary. */
export const SEGMENT_BYTES = 1024 * 1024;
/** How much longer than what goes in what comes out may be: stored blocks for a segment, and the codes of an empty one. */
export const MOST_GROWTH = 64 * 1024;
/** How far back matches reach. */
export const DICTIONARY_BYTES = 32 * 1024;

/** The part of WebAssembly's own interface that is used here; the type library for Node.js leaves it out. */
declare const WebAssembly: {
  readonly Module: new (bytes: Uint8Array) => object;
  readonly Instance: new (module: object, imports: object) => { readonly exports: unknown };
};

interface EncoderExports {
  readonly memory: { readonly buffer: ArrayBuffer };
  input(): number;
  output(): number;
  deflate(dictionaryLength: number, segmentLength: number, last: number): number;
}

let encoder: EncoderExports | undefined;
/** The encoder's memory, which never grows. */
let memory: Uint8Array<ArrayBuffer> | undefined;

/** Deflates one segment, into memory of its own. */
export function deflateSegment(segment: Uint8Array, dictionary: Uint8Array, last: boolean): Uint8Array<ArrayBuffer> {
  return deflateForNow(segment, dictionary, last).slice();
}

/**
 * Deflates one segment (RFC 1951), into memory that the next call writes anew. The same arguments give the same bytes on every machine.
 * @param segment at most SEGMENT_BYTES
 * @param dictionary up to DICTIONARY_BYTES that come before it in the same stream
 * @param last whether the stream ends here; otherwise the output ends at a byte boundary and the next segment follows
 */
export function deflateForNow(segment: Uint8Array, dictionary: Uint8Array, last: boolean): Uint8Array<ArrayBuffer> {
  if (segment.length > SEGMENT_BYTES || dictionary.length > DICTIONARY_BYTES) throw new RangeError('segment too long');
  encoder ??= load();
  memory ??= new Uint8Array(encoder.memory.buffer);
  memory.set(dictionary, encoder.input());
  memory.set(segment, encoder.input() + dictionary.length);
  const length = encoder.deflate(dictionary.length, segment.length, last ? 1 : 0);
  return memory.subarray(encoder.output(), encoder.output() + length);
}

/** Deflates data of any length, as it would be in pieces. */
export function deflateWhole(data: Uint8Array): Uint8Array {
  if (data.length <= SEGMENT_BYTES) return deflateSegment(data, data.subarray(0, 0), true);
  const parts: Uint8Array[] = [];
  for (let at = 0; at < data.length; at += SEGMENT_BYTES) {
    const dictionary = data.subarray(Math.max(0, at - DICTIONARY_BYTES), at);
    parts.push(deflateSegment(data.subarray(at, at + SEGMENT_BYTES), dictionary, at + SEGMENT_BYTES >= data.length));
  }
  return Buffer.concat(parts);
}

function load(): EncoderExports {
  const module = new WebAssembly.Module(Buffer.from(ENCODER_MODULE, 'base64'));
  const imports = { env: { abort: () => fail('aborted') } };
  return new WebAssembly.Instance(module, imports).exports as EncoderExports;
}

function fail(what: string): never {
  throw new Error(`the deflate encoder ${what}`);
}
