/** The key `wants` of a destination: papers without which it takes nothing. */
import { z } from 'zod';
import { settlePath } from '../../base/paths';
import type { Wants } from '../model';

const EXPECTED = 'files of the project with public keys';

export const wantsField = z
  .strictObject(
    {
      bill: z
        .boolean({ error: 'true or false' })
        .optional()
        .meta({ description: 'A bill of materials that is of the artifact.' }),
      provenance: z
        .boolean({ error: 'true or false' })
        .optional()
        .meta({ description: 'Provenance that is of the artifact.' }),
      'signed-by': z
        .array(
          z.string({ error: EXPECTED }).refine((path) => isInside(path), { error: EXPECTED }),
          { error: `a list of ${EXPECTED}` },
        )
        .min(1, { error: `a list of ${EXPECTED}` })
        .optional()
        .meta({
          description:
            'Files with public keys (PEM, or as SSH writes them), from the project folder: one of them has to have signed.',
        }),
    },
    { error: 'a mapping with `bill`, `provenance` or `signed-by`' },
  )
  .optional()
  .meta({ description: 'Papers without which it takes nothing: `check` and `send` refuse what lacks them.' });

function isInside(path: string): boolean {
  const settled = path.startsWith('/') || path.includes('\\') ? undefined : settlePath(path);
  return settled !== undefined && settled !== '';
}

/** The papers that a destination wants; undefined where it wants none. */
export function settleWants(text: z.output<typeof wantsField>): Wants | undefined {
  if (text === undefined) return undefined;
  return { bill: text.bill ?? false, provenance: text.provenance ?? false, signedBy: text['signed-by'] ?? [] };
}
