/** The key `fill`: what of the team's own templates is filled in, and with what. */
import { z } from 'zod';
import { settlePath } from '../../base/paths';
import { printable } from '../../base/text';
import type { Fill } from '../model';
import type { SheetNotes } from '../text/notes';

const entry = z.strictObject(
  {
    file: z.string({ error: 'a file of the project' }).meta({
      description: 'The template, relative to the sheet: YAML, JSON, TOML by its ending, or a text with marks.',
    }),
    at: z
      .string({ error: 'a JSON Pointer such as `/functions/0/digest`, or the name of a mark' })
      .min(1, { error: 'a JSON Pointer such as `/functions/0/digest`, or the name of a mark' })
      .meta({
        description:
          'Where in it: a JSON Pointer (RFC 6901). In other texts the name of a mark: what stands between `<!-- fill NAME -->` and `<!-- end -->`.',
      }),
    value: z.string({ error: 'a text with words in braces' }).meta({
      description: 'What goes there, with words such as `{surge-alert.arm64.sha256}`.',
    }),
    destination: z
      .string({ error: 'the name of a destination' })
      .optional()
      .meta({ description: 'Whose delivery it is about; the function’s own destination otherwise.' }),
  },
  { error: 'a mapping with `file`, `at` and `value`' },
);

export const fillField = z
  .array(entry, { error: 'a list of `{ file, at, value }`' })
  .optional()
  .meta({ description: 'The team’s own deployment templates: what `fill` writes into them, in place.' });

/** Reads the key; mistakes are noted. @param destinations their names */
export function settleFill(
  text: z.output<typeof fillField>,
  notes: SheetNotes,
  destinations: readonly string[],
): { readonly fill?: readonly Fill[] } {
  if (text === undefined) return {};
  const fill = text.flatMap((one, i) => {
    const at = ['fill', String(i)];
    const { destination } = one;
    if (destination !== undefined && !destinations.includes(destination))
      notes.add([...at, 'destination'], `one of ${destinations.join(', ')}`, `\`${destination}\``, 'correct it');
    // Whether it is there is for `fill` to say: nothing else needs it.
    const file = one.file.startsWith('/') || one.file.includes('\\') ? undefined : settlePath(one.file);
    if (file === undefined || file === '') {
      const found = `\`${printable(one.file)}\`, which leaves it`;
      notes.add([...at, 'file'], 'a file inside the project folder', found, 'write a path relative to the sheet');
      return [];
    }
    return [
      {
        file,
        at: one.at,
        value: one.value,
        place: notes.yaml.placeOf([...at, 'value']),
        placeOfAt: notes.yaml.placeOf([...at, 'at']),
        ...(destination !== undefined && { destination }),
      },
    ];
  });
  return { fill };
}
