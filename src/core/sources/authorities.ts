/** Certificates of authorities that the settings of a package manager name. */
import { readFileSync } from 'node:fs';
import { EmballageError } from '../base/errors';
import { printable } from '../base/text';

/** Certificates of authorities that settings name. @throws EmballageError FILE_UNREADABLE */
export function readAuthorities(path: string, why: string): string {
  try {
    return readFileSync(path, 'utf8');
  } catch (error) {
    throw new EmballageError(
      'FILE_UNREADABLE',
      {
        doing: 'reading the certificates of authorities',
        where: why,
        expected: 'a file of certificates (PEM)',
        found: `\`${printable(path)}\`, which cannot be read`,
        mend: 'correct the path there, or take it out',
      },
      error,
    );
  }
}
