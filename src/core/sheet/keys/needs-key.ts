/** Reads `needs`: a list of requirements, or a file or folder that has them. */
import { baseOf } from '../../base/paths';
import { printable } from '../../base/text';
import type { Needs } from '../model';
import type { SheetNotes } from '../text/notes';
import type { SheetLanguage } from '../part';
import type { FunctionText } from '../schema';

/** @param at path of the key in the sheet @returns undefined where there is none, or none that can be read */
export function readNeedsKey(
  notes: SheetNotes,
  at: readonly string[],
  needs: FunctionText['needs'],
  { sheet }: SheetLanguage,
): Needs | undefined {
  if (Array.isArray(needs)) {
    if (!sheet.needs.isListed)
      notes.add(
        at,
        sheet.needs.expected,
        'a list',
        'state the packages where the language wants them, lock them with its own tool, and leave `needs` out',
      );
    return {
      kind: 'list',
      items: needs.map((text, i) => ({ text, place: notes.yaml.placeOf([...at, String(i)]) })),
    };
  }
  if (needs === undefined) return undefined;
  const [, file = needs, groups] = /^(.*\.toml)\[([^\]]*)\]$/.exec(needs) ?? [];
  const isFolder = sheet.needs.folders?.test(baseOf(file)) === true;
  const path = notes.insidePath(at, file, isFolder ? 'folder' : 'file');
  if (path !== undefined && !isFolder && !sheet.needs.files.test(baseOf(path)))
    notes.add(
      at,
      sheet.needs.expected,
      `\`${printable(file)}\``,
      'name the file that states the requirements, or write them as a list',
    );
  return path === undefined
    ? undefined
    : {
        kind: 'file',
        path,
        groups: (groups ?? '')
          .split(',')
          .map((g) => g.trim())
          .filter((g) => g !== ''),
      };
}
