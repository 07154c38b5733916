/** The keys of a sheet that only Python functions have. */
import { z } from 'zod';
import type { SheetKeys } from '../../sheet';

const fields = {
  bytecode: z
    .boolean({ error: 'true or false' })
    .optional()
    .meta({ description: 'Python: pack compiled bytecode too (hash-based, unchecked). Default: false.' }),
};

export const pythonKeys: SheetKeys<'python'> = {
  fields,
  read({ text }) {
    const { bytecode = false } = text as z.output<z.ZodObject<typeof fields>>;
    return { bytecode };
  },
};
