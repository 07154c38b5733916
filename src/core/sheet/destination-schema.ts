/** The shape of a destination, as a Zod schema. */
import { z } from 'zod';
import { callsField } from './keys/calls-key';
import { wantsField } from './keys/wants-key';
import { deliverField, linkField } from './keys/deliver-key';
import type { OpenWay } from './part';
import type { FormId } from './model';
import { hostKeys, offeredShown, type Known } from './runtimes';
import {
  archs,
  day,
  globs,
  limits,
  list,
  name,
  pattern,
  plainHttp,
  registry,
  SETTING_PATTERN,
  size,
  text,
  time,
} from './text/schema-words';

const destinationRuntime = z.strictObject(
  {
    glibc: pattern(/^\d+\.\d+$/, 'a version in quotes, such as `"2.36"`')
      .optional()
      .meta({ description: 'Version of the GNU C library there.' }),
    musl: pattern(/^\d+\.\d+$/, 'a version in quotes, such as `"1.2"`')
      .optional()
      .meta({ description: 'Version of the musl C library there, where it is that one.' }),
    patch: pattern(/^\d+\.\d+\.\d+$/, 'a version in quotes, such as `"3.11.9"`')
      .optional()
      .meta({ description: 'Exact version of the runtime, where it is known.' }),
    provides: list(text('a package name'), 'a list of package names')
      .optional()
      .meta({ description: 'Packages that need not be packed.' }),
    start: pattern(/^[\w.-]+$/, 'a file name')
      .optional()
      .meta({ description: 'Name under which native code is started.' }),
    ends: day().optional().meta({ description: 'The last day on which the runtime is offered.' }),
  },
  { error: 'a mapping, `{}` if there is nothing to say' },
);

const acceptsField = ({ forms }: Known) =>
  z
    .strictObject(
      {
        ...Object.fromEntries(forms.map(({ id }) => [id, limits().optional()] as const)),
        beside: z
          .strictObject({ packed: size().optional() }, { error: '`packed`' })
          .optional()
          .meta({ description: 'Data beside an artifact: most bytes of all of it together.' }),
      } as Record<FormId, z.ZodOptional<ReturnType<typeof limits>>> & {
        beside: z.ZodOptional<z.ZodObject<{ packed: z.ZodOptional<ReturnType<typeof size>> }>>;
      },
      { error: `a mapping of artifact forms: ${forms.map(({ id }) => id).join(', ')}` },
    )
    .meta({ description: 'Artifact forms that it takes, each with its limits.' });

/** The shape of a destination. @param ways how artifacts may get there */
export function destinationSchema(known: Known, ways: readonly OpenWay[]) {
  return z
    .strictObject(
      {
        destination: name().meta({ description: 'Name of the destination.' }),
        arch: archs().meta({ description: 'Architectures that it runs.' }),
        cpu: z
          .strictObject(
            {
              x86_64: pattern(/^x86-64-v[1-4]$/, 'a level such as `x86-64-v2`')
                .optional()
                .meta({ description: 'Level of the x86-64 ABI that its processors have. Default: `x86-64-v1`.' }),
              arm64: pattern(/^v[89]\.\d$/, 'a version such as `v8.2`')
                .optional()
                .meta({ description: 'Version of the Arm architecture that its processors have. Default: `v8.0`.' }),
            },
            { error: 'a mapping of architectures' },
          )
          .optional()
          .meta({ description: 'What its processors have beyond the baseline.' }),
        accepts: acceptsField(known),
        deliver: deliverField(ways),
        link: linkField,
        registry: registry().optional().meta({ description: 'Short for `deliver: { registry: … }`.' }),
        'plain-http': plainHttp(),
        runtimes: z.record(z.string(), destinationRuntime, { error: 'a mapping of runtimes' }).meta({
          description: `Runtimes that it offers: ${offeredShown(known)
            .map((one) => `\`${one}\``)
            .join(', ')}.`,
        }),
        entry: z
          .partialRecord(z.enum(hostKeys(known) as [string, ...string[]]), text('a text such as `"{path}#{member}"`'), {
            error: 'a mapping of languages',
          })
          .optional()
          .meta({ description: 'Form of the entry string, by language.' }),
        memory: z
          .strictObject({ least: size().optional(), most: size().optional() }, { error: '`least` and `most`' })
          .optional()
          .meta({ description: 'Memory that a function can get.' }),
        timeout: z
          .strictObject({ most: time().optional() }, { error: '`most`' })
          .optional()
          .meta({ description: 'Longest time of a call.' }),
        settings: z
          .strictObject(
            {
              total: size().optional().meta({ description: 'Most bytes of all names and values together.' }),
              reserved: globs().optional().meta({ description: 'Names that the destination sets itself.' }),
              required: list(pattern(SETTING_PATTERN, 'a setting name'), 'a list of names')
                .optional()
                .meta({ description: 'Names that every function must declare.' }),
            },
            { error: 'a mapping' },
          )
          .optional()
          .meta({ description: 'What the destination says about settings.' }),
        calls: callsField,
        wants: wantsField,
      },
      { error: 'a mapping that describes the destination' },
    )
    .meta({ title: 'Emballage destination' });
}

export type DestinationText = z.output<ReturnType<typeof destinationSchema>>;
