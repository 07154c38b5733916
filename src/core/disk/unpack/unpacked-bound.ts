/** How much one package may unpack to: what is small to fetch may be large to unpack, whoever made it so. */
import { EmballageError } from '../../base/errors';
import { printable } from '../../base/text';
import { formatSize } from '../../base/units';

/** Refuses a package that unpacks to more. @param sizes of its files @throws EmballageError PACKAGE_INVALID */
export function holdToBound(file: string, sizes: readonly { readonly size: number }[], mostBytes: number): void {
  const total = sizes.reduce((sum, { size }) => sum + size, 0);
  if (total > mostBytes) throw tooLarge(file, mostBytes, formatSize(total));
}

/** @param found how much it is, as far as that is known */
export function tooLarge(file: string, mostBytes: number, found = 'more', cause?: unknown): EmballageError {
  return new EmballageError(
    'PACKAGE_INVALID',
    {
      doing: 'unpacking a package',
      where: printable(file),
      expected: `at most ${formatSize(mostBytes)}`,
      found,
      mend: 'if it is right so, allow it in the sheet: `packages: { unpacked: SIZE }`',
    },
    cause,
  );
}
