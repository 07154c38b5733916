/** The keys `packages`, `licences` and `advisories`: what packages of third parties are held to. */
import { z } from 'zod';
import { present } from '../../base/present';
import { printable } from '../../base/text';
import { parseSize } from '../../base/units';
import { isExpression } from '../../formats/licence-expression';
import type { LicencePolicy } from '../model';
import { size } from '../text/schema-words';
import type { SheetNotes } from '../text/notes';

/** CycloneDX 1.6, `vulnerabilities[].analysis.justification`. */
export const WHY_NOT_AFFECTED = [
  'code_not_present',
  'code_not_reachable',
  'requires_configuration',
  'requires_dependency',
  'requires_environment',
  'protected_by_compiler',
  'protected_at_runtime',
  'protected_at_perimeter',
  'protected_by_mitigating_control',
] as const;

const EXPECTED = 'an identifier of the SPDX licence list such as `Apache-2.0`';

const licences = (description: string) =>
  z
    .array(z.string({ error: EXPECTED }), { error: 'a list of licences' })
    .optional()
    .meta({ description });

export const licencesField = z
  .strictObject(
    {
      allow: licences(
        'Licences (identifiers of SPDX) that packages in artifacts may have; no others, and none that is unknown.',
      ),
      deny: licences('Licences that they must not have.'),
      known: z
        .record(z.string(), z.string({ error: EXPECTED }), { error: 'a mapping of packages and licences' })
        .optional()
        .meta({
          description:
            'What you found out yourself where a package does not say, by `NAME` or `NAME@VERSION`: an expression of SPDX.',
        }),
    },
    { error: 'a mapping with `allow`, `deny` or `known`' },
  )
  .optional()
  .meta({ description: 'Which licences packages may have: `licence/not-allowed` and its kin hold them to it.' });

export const advisoriesField = z
  .string({ error: 'a folder, or an archive' })
  .min(1, { error: 'a folder, or an archive' })
  .optional()
  .meta({
    description:
      'Folder of the project, or a zip or tar archive, with records of known faults in the open OSV format; an absolute path may lie elsewhere. `deps/advisory` reads them, and asks nobody.',
  });

export const packagesField = z
  .strictObject(
    {
      unpacked: size()
        .optional()
        .meta({ description: 'Most bytes that one package may unpack to, in every ecosystem. Default: 1 GiB.' }),
    },
    { error: 'a mapping with `unpacked`' },
  )
  .optional()
  .meta({ description: 'What packages of third parties are held to before they are used.' });

interface PapersText {
  readonly packages?: z.output<typeof packagesField>;
  readonly licences?: z.output<typeof licencesField>;
  readonly advisories?: z.output<typeof advisoriesField>;
}

/** Reads the keys; mistakes are noted. */
export function settlePapers(
  { licences: text, advisories, packages }: PapersText,
  notes: SheetNotes,
): { readonly licences?: LicencePolicy; readonly advisories?: string; readonly mostUnpacked?: number } {
  const others = present({ advisories, mostUnpacked: parseSize(packages?.unpacked ?? '') });
  if (text === undefined) return others;
  const { allow, deny = [], known = {} } = text;
  const hold = (at: readonly string[], value: string): void => {
    if (!isExpression(value))
      notes.add(['licences', ...at], EXPECTED, `\`${printable(value)}\``, 'write it as that list does');
  };
  allow?.forEach((one, i) => hold(['allow', String(i)], one));
  deny.forEach((one, i) => hold(['deny', String(i)], one));
  for (const [name, value] of Object.entries(known)) hold(['known', name], value);
  return { licences: { ...present({ allow }), deny, known }, ...others };
}
