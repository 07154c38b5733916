/**
 * The documents of `--json`, command by command. Published as JSON Schemas of version 1: what is stated here stays, and more
 * may come beside it; a change of what is there gets a version of its own.
 */
import { z } from 'zod';
import { lockSchema } from '../../core/project/lock/lock-schema';
import type { Known } from '../../core/sheet';
import { calling } from './calling';
import { checking } from './checking';
import { delivering } from './delivering';
import { making } from './making';
import { comparison, proof, vouched } from './proof';
import { surroundings } from './surroundings';
import { weighing } from './weighing';
import { error, failed } from './words';

export const OUTPUT_VERSION = 1;

const plain: Readonly<Record<string, z.ZodType>> = {
  error,
  ...surroundings,
  ...making,
  ...checking,
  vouch: vouched,
  compare: comparison,
  prove: proof,
  ...calling,
  ...weighing,
  ...delivering,
};

/** By command; `error`, `version` and `help` beside them. */
export async function outputSchemas(known: Pick<Known, 'all' | 'forms'>): Promise<Readonly<Record<string, z.ZodType>>> {
  const lock = (await lockSchema(known)).shape;
  const settled = lock.functions.valueType.shape;
  const base = lock.bases.unwrap().valueType;
  return {
    ...plain,
    lock: z.looseObject({
      functions: z.array(
        z.looseObject({
          name: z.string(),
          status: z.enum(['unchanged', 'settled', 'no-needs']),
          targets: settled.targets,
          sources: z.array(z.looseObject({ at: z.string(), why: z.string() })),
          notes: z.array(z.string()),
          changes: z.array(
            z.looseObject({
              name: z.string(),
              arch: z.string(),
              before: z.string().optional(),
              after: z.string().optional(),
            }),
          ),
          base: base.optional(),
        }),
      ),
      failed,
    }),
  };
}
