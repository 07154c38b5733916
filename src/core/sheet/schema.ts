/**
 * The shape of packing sheets and destinations, as Zod schemas. The same schemas check what people write, give the JSON
 * Schemas for editors, and give the reference in the docs. A schema's error text says what was expected, no more.
 */
import { z } from 'zod';
import { storeField } from './store-key';
import { isRegistry } from './store-place';
import { callsField } from './calls-key';
import { imageFields } from './image-keys';
import { listed } from '../base/text';
import { SIZE_PATTERN, TIME_PATTERN } from '../base/units';
import { ARCHITECTURES, FORMS } from './model';
import type { LateFields, SheetKeys, SheetLanguage } from './part';
import { hostKeys, offeredShown, writtenPattern, writtenSamples, type KnownLanguages } from './runtimes';

const text = (expected: string) => z.string({ error: expected });
const pattern = (expression: RegExp, expected: string) => text(expected).regex(expression, { error: expected });
const list = <T extends z.ZodType>(item: T, expected: string) => z.array(item, { error: expected });

const size = () => pattern(SIZE_PATTERN, 'a size such as `64 MiB` (B, KiB, MiB or GiB)');
const time = () => pattern(TIME_PATTERN, 'a time such as `30 s` (ms, s, min or h)');
const day = () => pattern(/^\d{4}-(0[1-9]|1[0-2])-(0[1-9]|[12]\d|3[01])$/, 'a day such as `"2027-01-31"`');
const wholeNumber = () => z.int({ error: 'a whole number' }).positive({ error: 'a number above 0' });
const arch = () => z.enum(ARCHITECTURES, { error: `one of ${ARCHITECTURES.map((a) => `\`${a}\``).join(', ')}` });
const archs = () =>
  list(arch(), 'a list of architectures, such as `[arm64]`').min(1, { error: 'at least one architecture' });
const globs = () => list(text('a pattern'), 'a list of patterns');

export const NAME_PATTERN = /^[a-z0-9](?:[a-z0-9-]{0,61}[a-z0-9])?$/;
const NAME_RULE = 'small letters, digits and hyphens, at most 63';
const name = () => pattern(NAME_PATTERN, NAME_RULE);
export const SETTING_PATTERN = /^[A-Za-z_][A-Za-z0-9_]*$/;

const limits = () =>
  z.strictObject(
    {
      packed: size().optional().meta({ description: 'Most bytes of the artifact file.' }),
      unpacked: size().optional().meta({ description: 'Most bytes of all files together, unpacked.' }),
      files: wholeNumber().optional().meta({ description: 'Most files.' }),
      'one-file': size().optional().meta({ description: 'Most bytes of any one file, unpacked.' }),
      viewable: size().optional().meta({
        description: 'Largest artifact whose source can be read where it runs.',
      }),
      layer: size().optional().meta({ description: 'Images: most bytes of any one layer, as it is sent.' }),
      layers: wholeNumber().optional().meta({ description: 'Images: most layers.' }),
    },
    { error: 'a mapping of limits' },
  );

const setting = z.strictObject(
  {
    sample: text('the value as text, in quotes: `"420"`')
      .optional()
      .meta({ description: 'The value that `try` sets, and that stands for the real one in checks.' }),
    secret: z
      .boolean({ error: 'true or false' })
      .optional()
      .meta({ description: 'The value is never in the sheet; `try` takes it from the environment of the same name.' }),
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
    where: text('a pattern').optional().meta({ description: 'Only findings about paths that match this pattern.' }),
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
function texts({ all }: KnownLanguages, key: keyof SheetLanguage['sheet']['texts']): string {
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
const requirementFields = (known: KnownLanguages) => ({
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

function adapter(known: KnownLanguages) {
  const kinds = known.all.flatMap(({ sheet }) => sheet.adapters);
  const expected = `${listed(
    kinds.map((one) => `\`${one}\``),
    'or',
  )}, or \`{ kind, shape }\``;
  return z.union([enumOf(kinds), z.strictObject({ kind: enumOf(kinds), shape: text('the name of a shape') })], {
    error: expected,
  });
}

/** The keys that functions of every language have. */
const commonFields = (known: KnownLanguages) => ({
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
  artifact: z
    .enum(FORMS, { error: '`zip`, `jar`, `binary` or `image`' })
    .meta({ description: 'Form of the artifact.' }),
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
  ...imageFields(known),
  settings: z
    .record(z.string(), setting, { error: 'a mapping of setting names' })
    .optional()
    .meta({ description: 'Environment variables that the function reads.' }),
  limits: limits().optional().meta({ description: 'Limits of the team’s own, below those of the destination.' }),
  memory: size().optional().meta({ description: 'Memory that the function gets.' }),
  timeout: time().optional().meta({ description: 'Time that one call may take.' }),
  events: z
    .union([text('a pattern'), globs()], { error: 'a file pattern, or a list of them' })
    .optional()
    .meta({ description: 'Event files that `try` calls the function with.' }),
  accept: list(acceptance, 'a list of acceptances')
    .optional()
    .meta({ description: 'Findings that the team lives with.' }),
});

/** What is common to all, and what the languages add. */
function functionSchema(known: KnownLanguages, own: readonly SheetKeys[]) {
  const fields = commonFields(known);
  const added = Object.assign({}, ...own.map((one) => one.fields)) as LateFields;
  return z.strictObject({ ...fields, ...added }, { error: 'a mapping that describes the function' });
}

function defaultsSchema(known: KnownLanguages) {
  const { destination, arch, memory, timeout, limits: most, sources, trim } = commonFields(known);
  return z.strictObject(
    { destination, arch, memory, timeout, limits: most, sources, trim },
    { error: 'a mapping of defaults' },
  );
}

/** @param own the keys of each language, in the order of `known.all` */
export function sheetSchema(known: KnownLanguages, own: readonly SheetKeys[]) {
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
export type LimitsText = z.output<ReturnType<typeof limits>>;

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

/** The shape of a destination. */
export function destinationSchema(known: KnownLanguages) {
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
        accepts: z
          .partialRecord(z.enum(FORMS), limits(), { error: `a mapping of artifact forms: ${FORMS.join(', ')}` })
          .meta({ description: 'Artifact forms that it takes, each with its limits.' }),
        registry: text('a registry')
          .refine(isRegistry, { error: '`HOST[:PORT]` or `HOST[:PORT]/NAMESPACE`, in small letters' })
          .optional()
          .meta({ description: 'The registry that images are sent to, `HOST[:PORT]/NAMESPACE`.' }),
        'plain-http': z
          .boolean({ error: 'true or false' })
          .optional()
          .meta({ description: 'The registry speaks HTTP without encryption. Default: only on this machine.' }),
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
      },
      { error: 'a mapping that describes the destination' },
    )
    .meta({ title: 'Emballage destination' });
}

export type DestinationText = z.output<ReturnType<typeof destinationSchema>>;
