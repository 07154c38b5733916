/**
 * The shape of packing sheets and destinations, as Zod schemas. The same schemas check what people write, give the JSON
 * Schemas for editors, and give the reference in the docs. A schema's error text says what was expected, no more.
 */
import { z } from 'zod';
import { besideField } from './keys/beside-key';
import { fillField } from './keys/fill-key';
import { advisoriesField, licencesField, packagesField, WHY_NOT_AFFECTED } from './keys/papers-keys';
import { storeField } from './keys/store-key';
import { listed } from '../base/text';
import { archs, day, glob, globs, limits, list, name, pattern, size, text, time } from './text/schema-words';
import type { LateFields, OpenKeys, SheetLanguage } from './part';
import { writtenPattern, writtenSamples, type Known } from './runtimes';

const setting = z.strictObject(
  {
    sample: text('the value as text, in quotes: `"420"`')
      .optional()
      .meta({ description: 'The value that `try` sets, and that stands for the real one in checks.' }),
    secret: z
      .boolean({ error: 'true or false' })
      .optional()
      .meta({ description: 'The value is never in the sheet; `try` takes it from the environment of the same name.' }),
    values: z
      .record(z.string(), text('the value as text, in quotes: `"450"`'), {
        error: 'a mapping of destinations and values',
      })
      .optional()
      .meta({ description: 'The value at each destination. Without it, the sample is the value everywhere.' }),
    held: list(text('the name of a destination'), 'a list of destinations')
      .optional()
      .meta({ description: 'Destinations that have the value already: it is not sent, only looked for.' }),
  },
  { error: 'a mapping with `sample` or `secret`' },
);

const acceptance = z.strictObject(
  {
    rule: pattern(/^[a-z]+\/[a-z-]+$/, 'a rule id such as `size/packed`').meta({ description: 'Id of the rule.' }),
    reason: text('a sentence')
      .min(3, { error: 'a reason in words' })
      .meta({ description: 'Why it is right to live with it.' }),
    until: day().meta({ description: 'The last day on which the acceptance holds.' }),
    where: glob().optional().meta({ description: 'Only findings about paths that match this pattern.' }),
    fingerprint: pattern(/^[0-9a-f]{16}$/, 'a fingerprint as `check` tells it')
      .optional()
      .meta({ description: 'Only the finding with that fingerprint: of `secret/found`.' }),
    because: z
      .enum(WHY_NOT_AFFECTED, {
        error: listed(
          WHY_NOT_AFFECTED.map((one) => `\`${one}\``),
          'or',
        ),
      })
      .optional()
      .meta({
        description:
          'Of `deps/advisory`: why the fault does not touch the function, as the bill of materials is to say. Without it, the bill says that it does, and that you live with it.',
      }),
  },
  { error: 'a mapping with `rule`, `reason` and `until`' },
);

const source = z.strictObject(
  {
    index: pattern(/^https?:\/\/\S+$/, 'the address of a package index, such as `https://packages.example/simple`')
      .optional()
      .meta({ description: 'Address of a package index, a registry or a repository, as the language has them.' }),
    folder: text('a folder of the project')
      .optional()
      .meta({ description: 'Folder of the project that stands for one, with packages, or laid out like one.' }),
    id: text('a name').optional().meta({ description: 'The name by which settings of the machine know it.' }),
    serves: list(text('a name or pattern'), 'a list of names')
      .optional()
      .meta({ description: 'The names, `*` for any letters, that only this source may serve.' }),
  },
  { error: 'a mapping with `index` or `folder`' },
);

/** What languages say of a key in the reference, each sentence once. */
function texts({ all }: Known, key: keyof SheetLanguage['sheet']['texts']): string {
  return [...new Set(all.flatMap(({ sheet }) => sheet.texts[key] ?? []))].join('; ');
}

function enumOf(words: readonly string[]) {
  const expected = listed(
    words.map((one) => `\`${one}\``),
    'or',
  );
  return z.enum(words as [string, ...string[]], { error: expected });
}

/** Keys of what is packed of third parties, and where it comes from. */
const requirementFields = (known: Known) => ({
  needs: z
    .union([text('a file'), list(text('a requirement'), 'a list of requirements')], {
      error: 'a list of requirements, or the file that states them',
    })
    .optional()
    .meta({
      description: `Third-party requirements, as a list or in a file of the project: ${texts(known, 'needs')}. Found by itself in the source folder.`,
    }),
  sources: list(source, 'a list of sources')
    .optional()
    .meta({
      description: `Where requirements come from, in order; the first source that has a package serves it: ${texts(known, 'sources')}.`,
    }),
  trim: z
    .union([z.enum(['off', 'safe', 'traced']), z.strictObject({ traced: z.enum(['deep', 'strict']) })], {
      error: '`off`, `safe`, `traced`, `{ traced: deep }` or `{ traced: strict }`',
    })
    .optional()
    .meta({
      description: `What is taken out of packages: nothing; what never changes behaviour (\`safe\`, the default); all that is not reached from the entry (\`traced\`); ${texts(known, 'trim')}.`,
    }),
});

function adapter(known: Known) {
  const kinds = known.all.flatMap(({ sheet }) => sheet.adapters);
  const expected = `${listed(
    kinds.map((one) => `\`${one}\``),
    'or',
  )}, or \`{ kind, shape }\``;
  return z.union([enumOf(kinds), z.strictObject({ kind: enumOf(kinds), shape: text('the name of a shape') })], {
    error: expected,
  });
}

/** What a function is: where its source lies, what runs it, what is called. */
const headFields = (known: Known) => ({
  source: text('a folder of the project').meta({
    description: 'Folder with the function’s source; its contents are packed, not the folder.',
  }),
  runtime: pattern(writtenPattern(known), `a runtime such as ${writtenSamples(known)}`).meta({
    description: `What runs the function: ${listed(
      known.all.flatMap(({ sheet }) => sheet.texts.runtime ?? []),
      'or',
    )}.`,
  }),
  entry: pattern(
    /^[^#\s][^#]*(?:#[A-Za-z_$][\w$]*(?:\.[A-Za-z_$][\w$]*)*)?$/,
    'an entry written `FILE#MEMBER`, such as `alert.mjs#decide`, or just a file for native code',
  ).meta({ description: `What the host calls: ${texts(known, 'entry')}.` }),
});

/** The keys that functions of every language have. */
const commonFields = (known: Known, added: LateFields) => ({
  ...headFields(known),
  artifact: enumOf(known.forms.map(({ id }) => id)).meta({ description: 'Form of the artifact.' }),
  arch: archs().optional().meta({ description: 'Architectures to build for; the sheet’s defaults otherwise.' }),
  destination: text('the name of a destination')
    .optional()
    .meta({ description: 'Where it is to run; the sheet’s default otherwise.' }),
  'leave-out': globs().optional().meta({ description: 'Patterns, as in a gitignore file, for what is not packed.' }),
  keep: globs()
    .optional()
    .meta({ description: 'Patterns for what is packed even though something else leaves it out.' }),
  include: list(
    z.strictObject(
      {
        files: text('a file, a folder or a pattern').meta({
          description: 'A file, a folder with all that is in it, or a pattern; relative to the sheet.',
        }),
        inside: text('a folder inside the artifact')
          .optional()
          .meta({ description: 'Folder inside the artifact where they go; its top otherwise.' }),
      },
      { error: '`files`, and `inside` for where they go' },
    ),
    'a list of `{ files, inside }`',
  )
    .optional()
    .meta({ description: 'Files from elsewhere in the project, and where they go inside the artifact.' }),
  links: z.enum(['follow', 'keep'], { error: '`follow` or `keep`' }).optional().meta({
    description: 'Symbolic links: packed as what they point to (`follow`, the default), or as links (`keep`).',
  }),
  'empty-folders': z
    .boolean({ error: 'true or false' })
    .optional()
    .meta({ description: 'Pack empty folders too. Default: false.' }),
  ...requirementFields(known),
  adapter: adapter(known)
    .optional()
    .meta({
      description: `The entry is a web application, called with requests as events: ${texts(known, 'adapter')}. With \`{ kind, shape }\` also which shape of requests, of those that the destination states under \`calls\`.`,
    }),
  ...added,
  beside: besideField,
  settings: z
    .record(z.string(), setting, { error: 'a mapping of setting names' })
    .optional()
    .meta({ description: 'Environment variables that the function reads.' }),
  limits: limits().optional().meta({ description: 'Limits of the team’s own, below those of the destination.' }),
  memory: size().optional().meta({ description: 'Memory that the function gets.' }),
  timeout: time().optional().meta({ description: 'Time that one call may take.' }),
  events: z
    .union([glob(), globs()], { error: 'a file pattern, or a list of them' })
    .optional()
    .meta({ description: 'Event files that `try` calls the function with.' }),
  accept: list(acceptance, 'a list of acceptances')
    .optional()
    .meta({ description: 'Findings that the team lives with.' }),
});

/** What is common to all, and what forms and languages add. */
function functionSchema(known: Known, { languages, forms }: OpenKeys) {
  const fields = commonFields(known, joined(forms.map(({ keys }) => keys?.fields ?? {})));
  const added = joined(languages.map(({ keys }) => keys.fields));
  return z.strictObject({ ...fields, ...added }, { error: 'a mapping that describes the function' });
}

function joined(all: readonly Readonly<Record<string, z.ZodType>>[]): LateFields {
  return Object.assign({}, ...all) as LateFields;
}

function defaultsSchema(known: Known) {
  const { destination, arch, memory, timeout, limits: most, sources, trim } = commonFields(known, {});
  return z.strictObject(
    { destination, arch, memory, timeout, limits: most, sources, trim },
    { error: 'a mapping of defaults' },
  );
}

/** The shape of a packing sheet. @param own keys that languages and forms add */
export function sheetSchema(known: Known, own: OpenKeys) {
  return z
    .strictObject(
      {
        project: name().meta({ description: 'Name of the project.' }),
        destinations: z
          .record(z.string(), text('the path of a destination file'), { error: 'a mapping of names and files' })
          .meta({ description: 'Destinations by name, each with its file.' }),
        defaults: defaultsSchema(known)
          .optional()
          .meta({ description: 'What functions get that do not say otherwise.' }),
        store: storeField,
        fill: fillField,
        licences: licencesField,
        advisories: advisoriesField,
        packages: packagesField,
        functions: z
          .record(z.string(), functionSchema(known, own), { error: 'a mapping of functions' })
          .meta({ description: 'The functions by name.' }),
      },
      { error: 'a mapping with `project`, `destinations` and `functions`' },
    )
    .meta({ title: 'Emballage packing sheet' });
}

export type SheetText = z.output<ReturnType<typeof sheetSchema>>;
/** A function as it is written; what languages add stands beside what all have. */
export type FunctionText = z.output<ReturnType<typeof functionSchema>>;
export type DefaultsText = z.output<ReturnType<typeof defaultsSchema>>;
export { functionSchema };
