/** Reads records that the program wrote as JSON and people keep: whole, of their format, or refused with one clear error. */
import { z } from 'zod';
import { EmballageError, systemCode, type ErrorCode } from '../base/errors';
import { contentDigest } from '../disk/digest';
import { readTextFile } from '../disk/read-text';
import type { StateFolder } from './state/state';
import { isVerified, noteVerified } from './verified';

export interface RecordRequest<T> {
  /** Absolute path. */
  readonly path: string;
  readonly shown: string;
  readonly doing: string;
  /** What it is, as `weights of format 1, as …`. */
  readonly expected: string;
  readonly mend: string;
  readonly code: ErrorCode;
  /** Loaded only where the text was not seen before. */
  readonly schema: () => Promise<z.ZodType<T>>;
  /** Where it is noted that a text is as it should be. */
  readonly state?: StateFolder;
}

const MAX_BYTES = 64 * 1024 ** 2;

/** @returns undefined where there is none @throws EmballageError of the code that was asked for */
export async function readJsonRecord<T>(request: RecordRequest<T>): Promise<T | undefined> {
  const { path, shown, doing, expected, mend, code, schema, state } = request;
  const bad = (found: string, cause?: unknown): EmballageError =>
    new EmballageError(code, { doing, where: shown, expected, found, mend }, cause);
  let text: string;
  let value: unknown;
  try {
    text = readTextFile(path, { doing, shown, maxBytes: MAX_BYTES, mendMissing: mend });
    value = JSON.parse(text);
  } catch (error) {
    if (error instanceof EmballageError && error.code === 'FILE_MISSING') return undefined;
    if (error instanceof EmballageError || systemCode(error) !== undefined) throw error;
    throw bad('text that is no JSON: it was cut off, edited by hand or merged badly', error);
  }
  const digest = state === undefined ? '' : contentDigest(text);
  if (state !== undefined && isVerified(state, digest)) return value as T;
  const read = (await schema()).safeParse(value);
  if (!read.success)
    throw bad(`\`${read.error.issues[0]?.path.map(String).join('.') ?? ''}\`, which is not as the format wants it`);
  if (state !== undefined) noteVerified(state, digest);
  return read.data;
}
