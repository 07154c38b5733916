/** Keys of a function that only the JVM has: how dependencies are put into one JAR. */
import { z } from 'zod';
import type { SheetKeys, SheetNotes } from '../../sheet';
import { DEBUGS, type JvmKeys, type Relocate } from './own';

const PACKAGE = /^[A-Za-z_$][\w$]*(?:\.[A-Za-z_$][\w$]*)*$/;
const words = (what: string) => z.string({ error: what }).regex(PACKAGE, { error: what });

const moved = z.union(
  [
    words('a package such as `berths.tide`'),
    z.strictObject(
      {
        to: words('a package such as `berths.tide`'),
        within: z
          .string({ error: '`group:artifact`' })
          .regex(/^[\w.-]+:[\w.-]+$/, { error: '`group:artifact`' })
          .optional()
          .meta({ description: 'The dependency that is settled by itself, and in which alone the package moves.' }),
      },
      { error: 'a mapping with `to`' },
    ),
    z.array(z.string()),
  ],
  { error: 'the new name of the package, or a mapping with `to` and `within`' },
);

const fields = {
  relocate: z.record(z.string(), moved, { error: 'a mapping of packages and their new names' }).optional().meta({
    description:
      'JVM: packages that move, `{ "old.pkg": "new.pkg", except: ["old.pkg.api.**"] }`; with `{ to: new.pkg, within: "group:artifact" }` only in that dependency, which is then settled by itself, so that two versions can lie side by side.',
  }),
  merge: z
    .strictObject(
      {
        append: z
          .array(z.string().min(1))
          .optional()
          .meta({ description: 'Patterns of files that are joined where several JARs have them.' }),
        releases: z.enum(['flatten', 'keep'], { error: '`flatten` or `keep`' }).optional().meta({
          description:
            'Classes for particular Java versions: those for the target take the place of the others (`flatten`, the default), or all stay.',
        }),
      },
      { error: 'a mapping with `append` and `releases`' },
    )
    .optional()
    .meta({ description: 'JVM: how files are merged that several JARs have.' }),
  debug: z.enum(DEBUGS, { error: '`lines`, `none` or `all`' }).optional().meta({
    description: 'JVM: what of the debug information stays in classes: line numbers (the default), nothing, or all.',
  }),
  main: words('the name of a class').optional().meta({ description: 'JVM: the class that `java -jar` starts.' }),
  processors: z
    .array(words('the name of a class'), { error: 'a list of class names' })
    .optional()
    .meta({ description: 'JVM: annotation processors that may run when the source is compiled; none otherwise.' }),
};

type JvmText = z.output<z.ZodObject<typeof fields>>;

export const jvmKeys: SheetKeys<'jvm'> = {
  fields,
  read: ({ notes, at, text, isDeep }) => readKeys(notes, at, text, isDeep),
};

function readKeys(notes: SheetNotes, at: readonly string[], text: JvmText, deep: boolean): JvmKeys {
  const { relocate = {}, merge, debug, main, processors } = text;
  const { except = [], ...packages } = relocate;
  if (!Array.isArray(except))
    notes.add([...at, 'relocate', 'except'], 'a list of patterns', 'something else', 'write `["old.pkg.api.**"]`');
  return {
    relocate: Object.entries(packages).flatMap(([from, value]) =>
      readMove(notes, [...at, 'relocate', from], from, value),
    ),
    except: Array.isArray(except) ? except : [],
    append: merge?.append ?? [],
    releases: merge?.releases ?? 'flatten',
    debug: debug ?? 'lines',
    ...(main !== undefined && { main }),
    processors: processors ?? [],
    deep,
  };
}

/** Packages of the JDK stay; some that once were part of it come with libraries now. */
const OF_THE_JDK = /^javax?(?:\.|$)(?!(?:inject|annotation|activation|mail)(?:\.|$))/;

function readMove(notes: SheetNotes, at: readonly string[], from: string, value: z.output<typeof moved>): Relocate[] {
  if (Array.isArray(value)) notes.add(at, 'the new name of the package', 'a list', 'name one package');
  else if (!PACKAGE.test(from))
    notes.add(at, 'a package such as `fernhaven.tide`', `\`${from}\``, 'write the package with dots', 'key');
  else if (OF_THE_JDK.test(from))
    notes.add(at, 'a package of a library', 'one of the JDK', 'leave it where it is', 'key');
  else if (typeof value === 'string') return [{ from, to: value }];
  else return [{ from, to: value.to, ...(value.within !== undefined && { within: value.within }) }];
  return [];
}
