/** Keys of a function that only images have: what they stand on, how they are cut into layers, who runs them. */
import { z } from 'zod';
import { printable } from '../../base/text';
import { referenceFault } from '../../formats/oci';
import {
  glob,
  type FormKeys,
  type FormKeysReading,
  type FormSheetKeys,
  type SheetLanguage,
  type SheetNotes,
} from '../../sheet';
import type { Base, ImageKeys } from './own';

/** What is taken from the machine for executables that need only the C library. */
export const LIBC_BASE = 'libc';

/** Runtimes that can be taken from the machine. */
function runtimeBases(languages: readonly SheetLanguage[]): [string, ...string[]] {
  const [first, ...others] = [...languages.flatMap(({ sheet }) => sheet.broughtBy ?? []), LIBC_BASE];
  return [first, ...others];
}

/** Nobody: the user that systems have for who owns nothing. */
const DEFAULT_USER = '65534:65534';
const LAYER_NAME = /^[a-z0-9](?:[a-z0-9-]{0,30}[a-z0-9])?$/;
/** Names that the layers have which are cut by themselves. */
const OWN_LAYERS = ['base', 'packages', 'function'];

const path = (what: string) => z.string({ error: what }).min(1, { error: what });

/** What is written into the configuration, and how the image is written. */
const carriedFields = {
  user: z
    .string({ error: 'numbers in quotes, such as `"65534:65534"`' })
    .regex(/^\d{1,10}(?::\d{1,10})?$/, { error: 'numbers in quotes, such as `"65534:65534"`' })
    .optional()
    .meta({ description: 'Images: user and group that the function runs as, by number. Default: `"65534:65534"`.' }),
  labels: z
    .record(z.string(), z.string({ error: 'a text' }), { error: 'a mapping of labels' })
    .optional()
    .meta({ description: 'Images: labels of the configuration.' }),
  archive: z.boolean({ error: 'true or false' }).optional().meta({
    description: 'Images: `build` also writes the layout as one tar archive, `FUNCTION.oci.tar`. Default: false.',
  }),
};

const imageFields = (languages: readonly SheetLanguage[]) => ({
  base: z
    .union(
      [
        z.literal('empty'),
        z.strictObject({
          image: z.string({ error: 'an image at a registry' }).optional().meta({
            description: 'An image at a registry, `HOST[:PORT]/NAME[:TAG][@DIGEST]`; `lock` settles its digest.',
          }),
          'plain-http': z.boolean({ error: 'true or false' }).optional().meta({
            description: 'With `image`: the registry speaks HTTP without encryption. Default: only on this machine.',
          }),
          layout: path('an image layout')
            .optional()
            .meta({ description: 'An image layout of the project, a folder or a tar archive.' }),
          tag: path('a name')
            .optional()
            .meta({ description: 'With `layout`: the name of the image in it, where it holds several.' }),
          root: path('a root file system').optional().meta({
            description:
              'A root file system of the project, a folder or a tar archive; `{arch}` stands for the architecture.',
          }),
          runtime: z
            .enum(runtimeBases(languages), {
              error: runtimeBases(languages)
                .map((one) => `\`${one}\``)
                .join(', '),
            })
            .optional()
            .meta({
              description:
                'From this machine: the runtime’s program, the libraries it needs, certificates and time zones; `libc` for executables that need only those.',
            }),
        }),
      ],
      { error: '`empty`, or a mapping with `image`, `layout`, `root` or `runtime`' },
    )
    .optional()
    .meta({ description: 'Images: what the function’s layers stand on. Default for native code: `empty`.' }),
  layers: z
    .union(
      [
        z.literal('one'),
        z.array(
          z.strictObject({
            name: z.string({ error: 'a name' }).regex(LAYER_NAME, { error: 'small letters, digits and hyphens' }),
            files: z.array(glob().min(1, { error: 'a pattern' }), { error: 'a list of patterns' }),
          }),
          { error: 'a list of layers' },
        ),
      ],
      { error: '`one`, or a list of layers, each with `name` and `files`' },
    )
    .optional()
    .meta({
      description:
        'Images: layers of their own for some files, the lowest first, or all in `one`. Otherwise packages and the function’s own files have a layer each.',
    }),
  ...carriedFields,
});

type ImageText = z.output<z.ZodObject<ReturnType<typeof imageFields>>>;

/** @param languages all that a sheet may speak of, in their order */
export function imageKeys(languages: readonly SheetLanguage[]): FormSheetKeys {
  return { fields: imageFields(languages), read: readKeys };
}

function readKeys({ notes, at, text, sheet }: FormKeysReading): FormKeys {
  const written = text as ImageText;
  return {
    image: readImage(notes, at, written, sheet.broughtBy),
    ...(written.archive === true && { isArchived: true }),
  };
}

/** @param brings the runtime that a base has to bring; undefined for native code */
function readImage(notes: SheetNotes, at: readonly string[], text: ImageText, brings: string | undefined): ImageKeys {
  const layers = text.layers === 'one' || text.layers === undefined ? [] : text.layers;
  for (const [i, { name }] of layers.entries())
    if (OWN_LAYERS.includes(name) || layers.findIndex((one) => one.name === name) < i)
      notes.add(
        [...at, 'layers', String(i), 'name'],
        'a name that no other layer has',
        `\`${printable(name)}\``,
        'rename the layer',
      );
  return {
    base: readBase(notes, at, text.base, brings),
    layers,
    isWhole: text.layers === 'one',
    user: text.user ?? DEFAULT_USER,
    labels: text.labels ?? {},
  };
}

const BASE_KINDS = ['image', 'layout', 'root', 'runtime'] as const;

function readBase(notes: SheetNotes, at: readonly string[], text: ImageText['base'], brings: string | undefined): Base {
  if (text === undefined || text === 'empty') {
    if (brings !== undefined) noteMissing(notes, at, text, brings);
    return { kind: 'empty' };
  }
  const [kind, ...others] = BASE_KINDS.filter((one) => text[one] !== undefined);
  const place = [...at, 'base'];
  if (kind === undefined || others.length > 0) {
    notes.add(
      place,
      'one of `image`, `layout`, `root` and `runtime`',
      kind === undefined ? 'none' : 'several',
      kind === undefined ? 'name one of them, or write `base: empty`' : 'keep one of them',
    );
    return { kind: 'empty' };
  }
  refuseStray(notes, place, text, kind);
  const wanted = brings ?? LIBC_BASE;
  if (kind === 'runtime' && text.runtime !== wanted)
    notes.add(
      [...place, 'runtime'],
      `\`${wanted}\`, which the function asks for`,
      `\`${text.runtime ?? ''}\``,
      `write \`base: { runtime: ${wanted} }\``,
    );
  return readKind(notes, place, text, kind);
}

function noteMissing(notes: SheetNotes, at: readonly string[], text: 'empty' | undefined, brings: string): void {
  const mend = `write \`base: { runtime: ${brings} }\` for this machine’s, or name an image: \`base: { image: … }\``;
  if (text === undefined) notes.add(at, `\`base\`: what brings ${brings}`, 'none', mend, 'key');
  else notes.add([...at, 'base'], `what brings ${brings}`, '`empty`', mend);
}

function readKind(
  notes: SheetNotes,
  at: readonly string[],
  text: Exclude<ImageText['base'], undefined | 'empty'>,
  kind: (typeof BASE_KINDS)[number],
): Base {
  if (kind === 'runtime') return { kind, runtime: text.runtime ?? LIBC_BASE };
  if (kind === 'image') return readReference(notes, at, text.image ?? '', text['plain-http'] ?? false);
  const written = text[kind] ?? '';
  checkPath(notes, [...at, kind], written);
  return kind === 'layout' && text.tag !== undefined ? { kind, path: written, tag: text.tag } : { kind, path: written };
}

function refuseStray(
  notes: SheetNotes,
  at: readonly string[],
  text: Exclude<ImageText['base'], undefined | 'empty'>,
  kind: (typeof BASE_KINDS)[number],
): void {
  const owners = { 'plain-http': 'image', tag: 'layout' } as const;
  for (const [key, owner] of Object.entries(owners) as [keyof typeof owners, 'image' | 'layout'][])
    if (text[key] !== undefined && kind !== owner)
      notes.add([...at, key], `it only with \`${owner}\``, `it with \`${kind}\``, 'take it out', 'key');
}

function readReference(notes: SheetNotes, at: readonly string[], reference: string, plainHttp: boolean): Base {
  const fault = referenceFault(reference);
  if (fault !== undefined)
    notes.add([...at, 'image'], 'an image, `HOST[:PORT]/NAME[:TAG][@DIGEST]`', fault, 'correct it');
  return { kind: 'image', reference, plainHttp };
}

/** The path of each architecture must be there. */
function checkPath(notes: SheetNotes, at: readonly string[], written: string): void {
  const paths = written.includes('{arch}')
    ? ['x86_64', 'arm64'].map((arch) => written.replaceAll('{arch}', arch))
    : [written];
  const isThere = (one: string): boolean => notes.project.kind(one) !== 'missing';
  for (const one of paths.length > 1 && paths.some(isThere) ? paths.filter(isThere) : paths)
    notes.insidePath(at, one, notes.project.kind(one) === 'folder' ? 'folder' : 'file');
}
