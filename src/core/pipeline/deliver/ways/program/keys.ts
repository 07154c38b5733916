/** What `deliver` says of a program of the team's own. */
import { z } from 'zod';
import { parseTime, TIME_PATTERN } from '../../../../base/units';
import { pattern, text, type WaySheetKeys } from '../../../../sheet';

const DEFAULT_TIME_MS = 5 * 60_000;

export const programKeys: WaySheetKeys<'program'> = {
  field: z
    .array(text('a word'), { error: 'the program and its words, as a list' })
    .min(1, { error: 'the program and its words' })
    .optional()
    .meta({
      description:
        'A program of the team’s own: JSON on its standard input, JSON back. A path with `/` is from the project folder.',
    }),
  beside: {
    time: pattern(TIME_PATTERN, 'a time such as `5 min` (ms, s, min or h)')
      .optional()
      .meta({ description: '`program`: how long it may take. Default: `5 min`.' }),
  },
  settle: ({ program, time = '' }) => ({
    command: program as string[],
    timeMs: parseTime(time as string) ?? DEFAULT_TIME_MS,
  }),
};
