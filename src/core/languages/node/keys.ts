/** The keys of a sheet that only Node.js functions have. */
import { z } from 'zod';
import type { SheetKeys } from '../../sheet';
import { SOURCEMAPS } from './own';

const fields = {
  link: z.boolean({ error: 'true or false' }).optional().meta({
    description: 'Node.js: join the modules that are reached into one file. Default: false.',
  }),
  minify: z
    .boolean({ error: 'true or false' })
    .optional()
    .meta({ description: 'Node.js, with `link`: make the file as small as it can be. Default: false.' }),
  sourcemap: z.enum(SOURCEMAPS, { error: '`inline`, `beside` or `none`' }).optional().meta({
    description:
      'Node.js: source maps of what was compiled or linked, in the file (`inline`), in a file next to it (`beside`), or none (the default).',
  }),
};

export const nodeKeys: SheetKeys<'node'> = {
  fields,
  read({ notes, at, text }) {
    const { link = false, minify = false, sourcemap = 'none' } = text as z.output<z.ZodObject<typeof fields>>;
    if (minify && !link)
      notes.add([...at, 'minify'], '`link: true` beside it', 'it alone', 'add `link: true`, or take it out', 'key');
    return { link, minify, sourcemap };
  },
};
