/** Files with keys. */
import { EmballageError } from '../../base/errors';
import { printable } from '../../base/text';
import { readTextFile } from '../../disk/read-text';
import { KeyFault, readSigningKey, readVerifyingKey, type SigningKey } from '../../formats/signing';
import type { KnownKey } from './claim';

const MOST_KEY_BYTES = 64 * 1024;

export interface KeyFile {
  /** Absolute path, and its name for messages. */
  readonly path: string;
  readonly shown: string;
}

/** @param password of a key that is locked @throws EmballageError KEY_INVALID */
export function signingKeyFrom(
  file: KeyFile,
  { password, mend }: { readonly password: string | undefined; readonly mend: string },
): Promise<SigningKey> {
  return reading(file, 'reading the key to sign with', mend, (text) => readSigningKey(text, password));
}

/** Keys of those who may sign. @throws EmballageError KEY_INVALID */
export async function keysFrom(files: readonly KeyFile[]): Promise<KnownKey[]> {
  const mend =
    'name the public key of who is to sign: `openssl pkey -in KEY -pubout` writes it, or take the `.pub` of SSH';
  return Promise.all(
    files.map(async (file) => ({
      ...(await reading(file, 'reading the key to verify with', mend, readVerifyingKey)),
      shown: file.shown,
    })),
  );
}

async function reading<T>(
  { path, shown }: KeyFile,
  doing: string,
  mend: string,
  read: (text: string) => Promise<T>,
): Promise<T> {
  const text = readTextFile(path, { doing, shown, maxBytes: MOST_KEY_BYTES, mendMissing: 'correct the path' });
  try {
    return await read(text);
  } catch (error) {
    if (!(error instanceof KeyFault)) throw error;
    const { expected, message } = error;
    throw new EmballageError('KEY_INVALID', { doing, where: printable(shown), expected, found: message, mend }, error);
  }
}
