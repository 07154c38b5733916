/** What is said of the tool and of what is around it. */
import { z } from 'zod';
import { arch, count } from './words';

const option = z.looseObject({ name: z.string(), type: z.enum(['string', 'number', 'boolean']), about: z.string() });
const commandHead = { name: z.string(), usage: z.string(), summary: z.string() };

export const surroundings = {
  version: z.looseObject({ version: z.string(), code: z.string(), runtime: z.string(), system: z.string() }),
  help: z.union([
    z.looseObject({ version: z.string(), commands: z.array(z.looseObject(commandHead)), options: z.array(option) }),
    z.looseObject({
      ...commandHead,
      about: z.string(),
      options: z.array(option),
      examples: z.array(z.looseObject({ args: z.string(), does: z.string() })),
    }),
  ]),
  tidy: z.looseObject({
    dryRun: z.boolean(),
    removed: z.array(z.looseObject({ kind: z.string(), why: z.string(), things: count, bytes: count })),
    leftBytes: count,
    /** With `--shared`. */
    shared: z.looseObject({ at: z.string(), results: count, bytes: count, leftBytes: count }).optional(),
  }),
  toolchains: z.looseObject({
    emulators: z.array(z.looseObject({ arch, path: z.string() })),
    functions: z.array(
      z.looseObject({
        name: z.string(),
        runtime: z.string(),
        found: z.boolean(),
        path: z.string().nullable(),
        mend: z.string(),
      }),
    ),
  }),
  'stand-in': z.union([
    z.looseObject({ host: z.string() }),
    z.looseObject({ url: z.string(), projects: z.array(z.string()), files: count }),
  ]),
  demo: z.looseObject({ folder: z.string(), steps: count, unexpected: z.array(z.string()) }),
} as const satisfies Readonly<Record<string, z.ZodType>>;
