/** The keys of a sheet that only .NET functions have. */
import { z } from 'zod';
import type { SheetKeys } from '../../sheet';
import { PUBLISHED } from './own';

const LANGUAGE = /^[A-Za-z]{2,8}(?:-[A-Za-z0-9]{1,8})*$/;

const fields = {
  languages: z
    .array(z.string().regex(LANGUAGE, { error: 'a language such as `de` or `pt-BR`' }), {
      error: 'a list of languages',
    })
    .optional()
    .meta({
      description:
        '.NET: languages whose texts are packed, `[en, de-AT]`; those of all where it is not said. What a library itself speaks is always there.',
    }),
  publish: z.enum(PUBLISHED, { error: '`framework-dependent`, `self-contained` or `single-file`' }).optional().meta({
    description:
      '.NET: how a project is published: for a framework that is there (`framework-dependent`, the default), with it (`self-contained`), or all in one file. Without meaning where `source` is a publish folder.',
  }),
};

export const dotnetKeys: SheetKeys<'dotnet'> = {
  fields,
  read({ text }) {
    const { languages, publish = 'framework-dependent' } = text as z.output<z.ZodObject<typeof fields>>;
    return { publish, ...(languages !== undefined && { languages }) };
  },
};
