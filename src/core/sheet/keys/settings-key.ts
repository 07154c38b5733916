/** Reads `settings` of a function: names, samples, and what they are at each destination. */
import { listed, nearestWord, printable } from '../../base/text';
import type { Setting } from '../model';
import type { SheetNotes } from '../text/notes';
import type { FunctionText } from '../schema';
import { SETTING_PATTERN } from '../text/schema-words';

type SettingsText = NonNullable<FunctionText['settings']>;

/** Reads the settings of a function; mistakes are noted. @param at path in the sheet @param destinations their names */
export function readSettings(
  notes: SheetNotes,
  at: readonly string[],
  settings: SettingsText,
  destinations: readonly string[],
): Setting[] {
  return Object.entries(settings).map(([name, { sample, secret, values, held }]) => {
    const place = [...at, name];
    if (!SETTING_PATTERN.test(name))
      notes.add(
        place,
        'letters, digits and `_`, not beginning with a digit',
        `\`${printable(name)}\``,
        'rename the setting',
        'key',
      );
    for (const [what, given] of Object.entries({ sample, values }))
      if (given !== undefined && secret === true)
        notes.add(
          place,
          `${what === 'sample' ? 'a sample' : 'values'} or a secret, not both`,
          'both',
          `take the ${what} out: a secret has no value in the sheet`,
          'key',
        );
    for (const one of Object.keys(values ?? {})) isKnown(notes, [...place, 'values', one], one, destinations, 'key');
    (held ?? []).forEach((one, i) => isKnown(notes, [...place, 'held', String(i)], one, destinations, 'value'));
    return {
      name,
      secret: secret ?? false,
      ...(sample !== undefined && { sample }),
      ...(values !== undefined && { values }),
      ...(held !== undefined && { held }),
    };
  });
}

function isKnown(
  notes: SheetNotes,
  at: readonly string[],
  name: string,
  known: readonly string[],
  part: 'key' | 'value',
): void {
  if (known.includes(name)) return;
  const near = nearestWord(name, known);
  notes.add(
    at,
    `a destination of the sheet: ${listed(known, 'or')}`,
    `\`${printable(name)}\``,
    near === undefined ? 'name one of them, or add it under `destinations`' : `did you mean \`${near}\`?`,
    part,
  );
}
