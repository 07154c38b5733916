/** Files of an artifact as texts. */
import type { ReadText, Subject } from './rule';

const MAX_TEXT_BYTES = 16 * 1024 * 1024;

/** Files as texts, each read once. */
export function textReader(readBytes: Subject['readBytes']): ReadText {
  const texts = new Map<string, string | undefined>();
  return (path) => {
    if (!texts.has(path)) {
      const bytes = readBytes(path, MAX_TEXT_BYTES);
      const text = bytes === undefined ? undefined : Buffer.from(bytes).toString('utf8');
      texts.set(path, text?.replace(/^\ufeff/, ''));
    }
    return texts.get(path);
  };
}
