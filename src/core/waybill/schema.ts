/** The shape of a waybill. Published as a JSON Schema; format version 3. What is a language's own stands under its id. */
import { z } from 'zod';
import { partFields, type FormId, type Known, type LateFields, type ByLanguage } from '../sheet';

const digest = z
  .string()
  .regex(/^[0-9a-f]{64}$/)
  .meta({ description: 'SHA-256 in hexadecimal.' });

const reason = z.discriminatedUnion('why', [
  z.strictObject({ why: z.literal('entry') }),
  z.strictObject({ why: z.literal('in-source') }),
  z.strictObject({
    why: z.literal('kept'),
    by: z.string().meta({ description: 'The `keep` pattern, or the line of `include`.' }),
  }),
  z.strictObject({
    why: z.literal('through-link'),
    by: z.string().meta({ description: 'The link that leads to it.' }),
  }),
  z.strictObject({
    why: z.literal('needed'),
    by: z.array(z.string()).meta({ description: 'Who asks for its package: packages, files, the function.' }),
  }),
  z.strictObject({
    why: z.enum(['imported', 'named', 'beside', 'kept-whole']),
    by: z.string().meta({ description: 'The file that imports it, the folder it lies beside, or why all is kept.' }),
  }),
  z.strictObject({ why: z.literal('made-for'), by: z.string().meta({ description: 'What it was made for.' }) }),
]);

const origin = z.discriminatedUnion('from', [
  z.strictObject({
    from: z.literal('source'),
    at: z.string().meta({ description: 'Path from the project folder.' }),
  }),
  z.strictObject({
    from: z.literal('package'),
    name: z.string(),
    version: z.string(),
    at: z.string().meta({ description: 'Path in the package’s file.' }),
  }),
  z.strictObject({
    from: z.literal('unlocked'),
    name: z.string(),
    at: z.string().meta({ description: 'Path in the package, as it was found installed.' }),
  }),
  z.strictObject({ from: z.literal('generated'), by: z.string() }),
]);

const file = z.strictObject({
  path: z.string(),
  kind: z.enum(['file', 'link', 'folder']),
  mode: z
    .string()
    .regex(/^0[0-7]{3}$/)
    .meta({ description: 'Permission bits, octal.' }),
  size: z.int().nonnegative().meta({ description: 'Bytes, unpacked.' }),
  sha256: digest.optional().meta({ description: 'Of the content; of a link’s target. Folders have none.' }),
  target: z.string().optional().meta({ description: 'What a link points to.' }),
  origin,
  reason,
  layer: z.string().optional().meta({ description: 'Images: name of the layer that it lies in.' }),
});

const digestText = z
  .string()
  .regex(/^sha256:[0-9a-f]{64}$/)
  .meta({ description: 'SHA-256, as images write it.' });

const image = z.strictObject({
  digest: digestText.meta({ description: 'Of the manifest: the image’s digest.' }),
  base: z
    .strictObject({
      from: z.string().meta({ description: 'A reference, a path of the project, or what of the machine.' }),
      digest: digestText.optional().meta({ description: 'Of its manifest, where it is an image itself.' }),
      version: z.string().optional().meta({ description: 'Of the runtime in it.' }),
      layers: z.array(z.strictObject({ digest: digestText, size: z.int().nonnegative() })),
    })
    .optional(),
  layers: z
    .array(
      z.strictObject({
        name: z.string(),
        digest: digestText,
        diffId: digestText.meta({ description: 'Of the plain archive.' }),
        size: z.int().nonnegative().meta({ description: 'Bytes, as it is sent.' }),
        unpacked: z.int().nonnegative(),
        files: z.int().nonnegative().meta({ description: 'Entries.' }),
      }),
    )
    .meta({ description: 'The function’s own layers, the lowest first.' }),
  start: z.array(z.string()).meta({ description: 'The command that starts it.' }),
  user: z.string(),
});

const settingRead = { name: z.string(), line: z.int(), hasDefault: z.boolean() };

type Fields = Readonly<Record<string, z.ZodType>>;

/** The artifact itself. */
const artifact = z.strictObject({
  file: z.string().meta({ description: 'Name of the artifact, which lies beside the waybill.' }),
  size: z.int().nonnegative(),
  sha256: digest.meta({
    description: 'Of the file; for an image, whose blobs are named by digest, of its manifest.',
  }),
  unpacked: z.int().nonnegative(),
  files: z.int().nonnegative().meta({ description: 'Entries of the artifact.' }),
});

/** What the sheet says, as it is told to hosts. */
const statedFields = {
  entry: z.strictObject({
    declared: z.string().meta({ description: 'As in the packing sheet.' }),
    loads: z
      .strictObject({ file: z.string(), member: z.string() })
      .meta({ description: 'The file of the artifact that the host loads, and the member that it calls.' }),
    host: z.string().meta({ description: 'In the destination’s own form: what to tell the host.' }),
  }),
  settings: z
    .array(z.strictObject({ name: z.string(), secret: z.boolean() }))
    .meta({ description: 'Declared settings, without values.' }),
  inputs: z.strictObject({
    function: digest.meta({ description: 'Of what the sheet says about the function, settled.' }),
    files: digest.meta({ description: 'Of all packed files: their paths, modes and contents.' }),
  }),
};

/** How it was made. */
const made = z.strictObject({
  by: z.string().meta({ description: 'The tool and its version.' }),
  deflate: z
    .string()
    .meta({ description: 'The encoder whose output the artifact holds; `none` for an executable by itself.' }),
  time: z.string().meta({ description: 'The time that entries carry, UTC.' }),
  toolchains: z.array(z.string()),
});

const beside = z
  .array(
    z.strictObject({
      name: z.string(),
      file: z.string().meta({ description: 'Path from the project folder.' }),
      setting: z.string().meta({ description: 'The setting that holds its path or address.' }),
      size: z.int().nonnegative(),
      sha256: digest,
    }),
  )
  .meta({ description: 'Data that travels beside the artifact.' });

/** What tracing and packing noted. */
const tracedFields = {
  overlaps: z.array(z.strictObject({ path: z.string(), kept: z.string(), dropped: z.string() })),
  unseen: z
    .array(z.strictObject({ file: z.string(), line: z.int(), what: z.string(), kept: z.string() }))
    .meta({ description: 'Places whose imports cannot be seen, and what is kept whole for them.' }),
  missing: z
    .array(
      z.strictObject({
        file: z.string(),
        line: z.int(),
        specifier: z.string(),
        why: z.string().meta({ description: 'What was looked for.' }),
        near: z.string().optional().meta({ description: 'What is there instead.' }),
        guard: z.enum(['none', 'try', 'lazy']).meta({ description: 'When it is asked for.' }),
      }),
    )
    .meta({ description: 'Imports that lead nowhere, as far as they were followed.' }),
};

const modules = z
  .array(
    z.strictObject({
      path: z.string(),
      size: z.int().nonnegative(),
      origin,
      reason,
      settings: z
        .array(z.strictObject(settingRead))
        .optional()
        .meta({ description: 'Settings that it reads; only for the function’s own.' }),
      inside: z
        .strictObject({ file: z.string(), bytes: z.int().nonnegative() })
        .meta({ description: 'The file that it is in, and the bytes that it takes there.' }),
      packages: z
        .array(z.string())
        .optional()
        .meta({ description: 'Where packages would lie that it asks for; only for the function’s own.' }),
    }),
  )
  .meta({
    description: 'Modules that were linked into the file that the host loads, in the order in which they run.',
  });

const askedRow = z.union([z.int().nonnegative(), z.tuple([z.int().nonnegative(), z.int().positive()])]).meta({
  description:
    'A row: of `files`, then of `modules`, counted from 0; with the line in the file that asks, where it is known.',
});

/** Who asks for what. The reason of each file names the first who does; here are all. */
const askFields = {
  asks: z.array(z.strictObject({ by: z.int().nonnegative(), for: z.array(askedRow) })).meta({
    description: 'What each file asks for, as far as it was traced: a row that asks, and rows that it asks for.',
  }),
  together: z
    .array(z.strictObject({ by: z.array(askedRow), for: z.array(z.int().nonnegative()) }))
    .meta({ description: 'Rows that are kept as long as one of those is there that ask for all of them.' }),
};

const waybillOf = (forms: readonly FormId[], ownPackage: Fields, own: Fields) =>
  z
    .strictObject({
      waybill: z.literal(3).meta({ description: 'Version of this format.' }),
      function: z.string(),
      project: z.string(),
      runtime: z.string(),
      arch: z.enum(['x86_64', 'arm64']),
      form: z.enum(forms),
      destination: z.string(),
      artifact,
      ...statedFields,
      made,
      image: image.optional(),
      beside: beside.optional(),
      packages: z
        .array(
          z.strictObject({
            name: z.string(),
            version: z.string(),
            file: z.string().meta({ description: 'Name of the file it came in.' }),
            sha256: digest,
            by: z.array(z.string()).meta({ description: 'Who asks for it.' }),
            ...(ownPackage as LateFields),
          }),
        )
        .meta({ description: 'Third-party packages, as the lock has them.' }),
      provided: z.array(z.string()).meta({ description: 'Packages left to the destination’s runtime.' }),
      trim: z.enum(['off', 'safe', 'traced']),
      ...tracedFields,
      modules,
      reads: z
        .array(z.strictObject({ ...settingRead, file: z.string() }))
        .optional()
        .meta({ description: 'Settings that the source reads, where the artifact does not show it.' }),
      ...(own as LateFields),
      trimmed: z
        .array(z.strictObject({ path: z.string(), size: z.int(), package: z.string(), by: z.string() }))
        .meta({ description: 'Files of packages that were taken out, each with the rule.' }),
      files: z.array(file),
      ...askFields,
    })
    .meta({ title: 'Emballage waybill' });

/** The shape of a waybill, with what forms and languages add. */
export async function waybillSchema(known: Pick<Known, 'all' | 'forms'>) {
  const own = await partFields(known, ['carriedPackage', 'carried']);
  const optional = (fields: Fields): Fields =>
    Object.fromEntries(Object.entries(fields).map(([id, schema]) => [id, schema.optional()]));
  return waybillOf(
    known.forms.map(({ id }) => id),
    optional(own.carriedPackage),
    optional(own.carried),
  );
}

type PlainWaybill = z.output<ReturnType<typeof waybillOf>>;
type PlainPackage = PlainWaybill['packages'][number];

/** A third-party package as a waybill has it, with what is its language's own. */
export type CarriedPackage = PlainPackage & ByLanguage<'carriedPackage'>;
export type Waybill = Omit<PlainWaybill, 'packages'> & { packages: CarriedPackage[] } & ByLanguage<'carried'>;
export type WaybillFile = Waybill['files'][number];
