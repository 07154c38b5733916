/** What a stand-in index has to offer: the projects and files of a folder, each for the language that knows it. */
import { readdirSync } from 'node:fs';
import { EmballageError } from '../../core/base/errors';
import { printable } from '../../core/base/text';
import { LANGUAGES, type Pages } from '../../core/languages';
import type { Machine } from '../../core/toolchains/machine';

/** @param folder absolute path; what no language knows is passed over */
export async function readFolder(folder: string, shown: string, machine: Machine): Promise<Pages[]> {
  let names: string[];
  try {
    names = readdirSync(folder).sort();
  } catch (error) {
    throw new EmballageError(
      'FILE_MISSING',
      {
        doing: 'reading what the index is to offer',
        where: printable(shown),
        expected: 'a folder of projects or packages',
        found: 'no folder that can be read',
        mend: 'name the folder',
      },
      error,
    );
  }
  const all = await Promise.all(LANGUAGES.flatMap(({ pages }) => pages?.open(machine) ?? []));
  for (const name of names) all.find((pages) => pages.take(folder, shown, name));
  return all;
}
