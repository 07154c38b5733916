/** The key `beside` of a function: data that travels beside the artifact, and the setting that says where it lies. */
import { z } from 'zod';
import type { Beside } from '../model';
import type { SheetNotes } from '../text/notes';
import { NAME_PATTERN, SETTING_PATTERN } from '../text/schema-words';

const one = z.strictObject(
  {
    file: z.string({ error: 'a file of the project' }).meta({ description: 'The file, relative to the sheet.' }),
    setting: z
      .string({ error: 'the name of a setting' })
      .regex(SETTING_PATTERN, { error: 'the name of a setting: letters, digits and `_`' })
      .meta({ description: 'The setting that holds its path or address where the function runs.' }),
  },
  { error: 'a mapping with `file` and `setting`' },
);

export const besideField = z.record(z.string(), one, { error: 'a mapping of names and files' }).optional().meta({
  description:
    'Data that travels beside the artifact, each with a digest of its own: a model, a table. A setting tells the function where it lies.',
});

/** @param settings names that are declared otherwise */
export function readBeside(
  notes: SheetNotes,
  at: readonly string[],
  text: z.output<typeof besideField>,
  settings: readonly string[],
): Beside[] {
  const taken = new Set(settings);
  return Object.entries(text ?? {}).flatMap(([name, { file, setting }]) => {
    if (!NAME_PATTERN.test(name))
      notes.add([...at, name], 'a name of small letters, digits and hyphens', `\`${name}\``, 'rename it', 'key');
    if (taken.has(setting))
      notes.add([...at, name, 'setting'], 'a setting of its own', `\`${setting}\`, which is another’s`, 'rename one');
    taken.add(setting);
    const path = notes.insidePath([...at, name, 'file'], file, 'file');
    return path === undefined ? [] : [{ name, file: path, setting }];
  });
}
