/** Folders of what the tool makes keep themselves out of version control, by a file that ignores all that is in them. */
import { existsSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

/** The file's name. */
export const UNVERSIONED = '.gitignore';
const TEXT = '# What is made from the sources is made again from them.\n*\n';

/** @param folder absolute path; nothing is done where it is not there, or says for itself what is kept */
export function keepUnversioned(folder: string): void {
  const path = join(folder, UNVERSIONED);
  if (!existsSync(folder) || existsSync(path)) return;
  try {
    writeFileSync(path, TEXT, { flag: 'wx' });
  } catch {
    // It is a kindness; where it cannot be written nothing is lost.
  }
}
