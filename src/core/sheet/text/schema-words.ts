/** Words that the schemas of sheets and destinations are made of. An error's text says what was expected, no more. */
import { z } from 'zod';
import { SIZE_PATTERN, TIME_PATTERN } from '../../base/units';
import { ARCHITECTURES } from '../model';
import { isRegistry } from '../store-place';

export const text = (expected: string) => z.string({ error: expected });
export const pattern = (expression: RegExp, expected: string) => text(expected).regex(expression, { error: expected });
export const list = <T extends z.ZodType>(item: T, expected: string) => z.array(item, { error: expected });

export const size = () => pattern(SIZE_PATTERN, 'a size such as `64 MiB` (B, KiB, MiB or GiB)');
export const time = () => pattern(TIME_PATTERN, 'a time such as `30 s` (ms, s, min or h)');
export const day = () => pattern(/^\d{4}-(0[1-9]|1[0-2])-(0[1-9]|[12]\d|3[01])$/, 'a day such as `"2027-01-31"`');
export const wholeNumber = () => z.int({ error: 'a whole number' }).positive({ error: 'a number above 0' });
export const arch = () => z.enum(ARCHITECTURES, { error: `one of ${ARCHITECTURES.map((a) => `\`${a}\``).join(', ')}` });
export const archs = () =>
  list(arch(), 'a list of architectures, such as `[arm64]`').min(1, { error: 'at least one architecture' });
/** Longer ones are made by mistake, and cost more than they are worth. */
const MOST_PATTERN_LETTERS = 4096;
export const glob = () =>
  text('a pattern').max(MOST_PATTERN_LETTERS, {
    error: `a pattern of at most ${String(MOST_PATTERN_LETTERS)} letters`,
  });
export const globs = () => list(glob(), 'a list of patterns');

/** `HOST[:PORT]` or `HOST[:PORT]/NAMESPACE`. */
export const registry = () =>
  text('a registry').refine(isRegistry, { error: '`HOST[:PORT]` or `HOST[:PORT]/NAMESPACE`, in small letters' });
export const plainHttp = () =>
  z
    .boolean({ error: 'true or false' })
    .optional()
    .meta({ description: 'The registry speaks HTTP without encryption. Default: only on this machine.' });

export const NAME_PATTERN = /^[a-z0-9](?:[a-z0-9-]{0,61}[a-z0-9])?$/;
const NAME_RULE = 'small letters, digits and hyphens, at most 63';
export const name = () => pattern(NAME_PATTERN, NAME_RULE);
export const SETTING_PATTERN = /^[A-Za-z_][A-Za-z0-9_]*$/;

export const limits = () =>
  z.strictObject(
    {
      packed: size().optional().meta({ description: 'Most bytes of the artifact file.' }),
      unpacked: size().optional().meta({ description: 'Most bytes of all files together, unpacked.' }),
      files: wholeNumber().optional().meta({ description: 'Most files.' }),
      'one-file': size().optional().meta({ description: 'Most bytes of any one file, unpacked.' }),
      viewable: size().optional().meta({
        description: 'Largest artifact whose source can be read where it runs.',
      }),
      layer: size().optional().meta({ description: 'Images: most bytes of any one layer, as it is sent.' }),
      layers: wholeNumber().optional().meta({ description: 'Images: most layers.' }),
    },
    { error: 'a mapping of limits' },
  );

export type LimitsText = z.output<ReturnType<typeof limits>>;
