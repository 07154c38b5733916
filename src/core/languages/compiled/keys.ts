/** Keys of a sheet for functions that are compiled: how, with what, and what is stripped. */
import semver from 'semver';
import { z } from 'zod';
import { settlePath } from '../../base/paths';
import { present } from '../../base/present';
import { printable } from '../../base/text';
import type { Strip } from '../../formats/elf';
import type { SheetKeys, SheetNotes } from '../../sheet';
import { COMPILERS, type CompiledId, type CompiledKeys, type WantedToolchain } from './own';

const STRIPS = ['all', 'debug', 'none'] as const satisfies readonly Strip[];

const words = (what: string) =>
  z.array(z.string({ error: what }).min(1, { error: what }), { error: `a list: ${what}` });

const fields = {
  build: z
    .strictObject(
      {
        package: z
          .string({ error: 'a package' })
          .regex(/^[\w./-]+$/, { error: 'a package, without spaces' })
          .optional()
          .meta({ description: 'Rust: the package of a workspace. Go: the folder of the package, `./cmd/solver`.' }),
        program: z
          .string({ error: 'a name' })
          .regex(/^[\w-]+$/, { error: 'the name of a program' })
          .optional()
          .meta({ description: 'Rust: the program, where the package has several.' }),
        features: words('a feature').optional().meta({ description: 'Rust: features of the package.' }),
        'default-features': z
          .boolean({ error: 'true or false' })
          .optional()
          .meta({ description: 'Rust: the features that the package has by default. Default: true.' }),
        tags: words('a tag').optional().meta({ description: 'Go: build tags.' }),
        sources: words('a pattern').optional().meta({
          description: 'C: patterns of the files to compile, relative to the source folder; all of them otherwise.',
        }),
        flags: words('a flag').optional().meta({ description: 'Further flags for the compiler.' }),
        libraries: words('a library').optional().meta({ description: 'C: libraries to link with, such as `m`.' }),
        linkage: z.enum(['static', 'dynamic'], { error: '`static` or `dynamic`' }).optional().meta({
          description:
            'Whether the C library is linked into the executable. Default: dynamic for Rust and C; Go needs none without `cgo`.',
        }),
        cgo: z.boolean({ error: 'true or false' }).optional().meta({
          description: 'Go: compile C code of the packages too. Default: false.',
        }),
      },
      { error: 'a mapping that says how it is compiled' },
    )
    .optional()
    .meta({ description: 'Native code: how it is compiled.' }),
  toolchain: z.string({ error: 'a compiler such as `rust >=1.63`' }).optional().meta({
    description: 'Native code: the compiler and its version: `rust`, `go`, `gcc` or `clang`, as in `rust >=1.63`.',
  }),
  strip: z.enum(STRIPS, { error: '`all`, `debug` or `none`' }).optional().meta({
    description:
      'Native code: what is taken out of the executable: debugging sections, symbol tables and comments (`all`, the default), debugging sections only (`debug`), or nothing.',
  }),
};

type CompiledText = z.output<z.ZodObject<typeof fields>>;
type BuildText = NonNullable<CompiledText['build']>;

/** What of these keys a language has. */
export interface CompiledWords {
  /** The word of its runtime. */
  readonly word: string;
  /** Keys under `build`. */
  readonly build: readonly (keyof BuildText)[];
  /** Names that `toolchain` may have. */
  readonly compilers: readonly WantedToolchain['compiler'][];
}

/** The keys of the sheet that compiled languages have. */
export function compiledKeys<Id extends CompiledId>(words: CompiledWords): SheetKeys<Id> {
  return { fields, read: ({ notes, at, text }) => readKeys(notes, at, text, words) };
}

function readKeys(notes: SheetNotes, at: readonly string[], text: CompiledText, words: CompiledWords): CompiledKeys {
  const build = text.build ?? {};
  refuseForeignBuildKeys(notes, at, build, words);
  const toolchain = text.toolchain === undefined ? undefined : readToolchain(notes, at, text.toolchain, words);
  const { package: name, program, linkage } = build;
  return {
    ...present({ package: name, program, linkage, toolchain }),
    ...settleLists(build),
    defaultFeatures: build['default-features'] ?? true,
    cgo: build.cgo ?? false,
    strip: text.strip ?? 'all',
  };
}

function settleLists({
  features = [],
  tags = [],
  sources = [],
  flags = [],
  libraries = [],
}: BuildText): Pick<CompiledKeys, 'features' | 'tags' | 'sources' | 'flags' | 'libraries'> {
  return { features, tags, sources, flags, libraries };
}

function refuseForeignBuildKeys(
  notes: SheetNotes,
  at: readonly string[],
  build: BuildText,
  { word, build: known }: CompiledWords,
): void {
  for (const key of Object.keys(build) as (keyof BuildText)[])
    if (!known.includes(key))
      notes.add(
        [...at, 'build', key],
        `one of ${known.map((one) => `\`${one}\``).join(', ')}`,
        `it for \`${word}\``,
        'take it out',
        'key',
      );
  for (const [i, pattern] of (build.sources ?? []).entries())
    if (settlePath(pattern) === undefined || pattern.startsWith('/'))
      notes.add(
        [...at, 'build', 'sources', String(i)],
        'files inside the source folder',
        `\`${printable(pattern)}\``,
        'write a path from the source folder',
      );
}

function readToolchain(
  notes: SheetNotes,
  at: readonly string[],
  text: string,
  { compilers: known }: CompiledWords,
): WantedToolchain | undefined {
  const [, name = '', range = ''] = /^(\S+)\s*(.*)$/.exec(text.trim()) ?? [];
  const compiler = COMPILERS.find((one) => one === name);
  if (compiler === undefined || !known.includes(compiler))
    notes.add(
      [...at, 'toolchain'],
      `${known.map((one) => `\`${one}\``).join(' or ')}, with versions, as in \`${known[0] ?? ''} >=1.2\``,
      `\`${printable(text)}\``,
      `begin with \`${known[0] ?? ''}\``,
    );
  else if (range !== '' && semver.validRange(range) === null)
    notes.add(
      [...at, 'toolchain'],
      'versions such as `>=1.63` or `1.63.0`',
      `\`${printable(range)}\``,
      'correct the versions',
    );
  else return { text, compiler, ...(range !== '' && { range }) };
  return undefined;
}
