/** Whether a word of the command line is an artifact by hand, or the name of a function. */
import { existsSync } from 'node:fs';
import { resolve } from 'node:path';
import type { Session } from './session/session';

/** A single word is a file when it is one, unless it names a function of the sheet. */
export async function artifactWord(word: string, session: Session, isFileForSure = false): Promise<string | undefined> {
  const looksLikeFile = isFileForSure || word.includes('/') || /\.[a-z]+$/.test(word);
  // Without a sheet there are no functions: whatever it is, it is looked for as a file.
  if (looksLikeFile || !session.hasSheet()) return word;
  if (!existsSync(resolve(session.cwd, word))) return undefined;
  const isFunction = await session.openProject().then(
    (project) => project.sheet.functions.some((spec) => spec.name === word),
    () => false,
  );
  return isFunction ? undefined : word;
}
