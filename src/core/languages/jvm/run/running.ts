/** How JVM functions are run: on this machine, in the stand-in host, in images. */
import { realpathSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { EmballageError } from '../../../base/errors';
import { findProgram, textOf, valueIn } from '../../../disk/unpack/in-image';
import type { PackedEntry } from '../../../fileset/model';
import { printable } from '../../../base/text';
import type { Explained, Running, Thrown } from '../../language';
import { chooseCompiler, chooseJava, javasOf } from './machines';
import { profiling } from './profile';

/** The runner is compiled for this version. */
const OLDEST_JAVA = 11;
const RUNNER = join(__dirname, 'runner.jar');
const FUNCTION_JAR = 'function.jar';
/** What running functions never needs. */
const LEFT_OUT = /^(?:jmods|include|man|demo|legal|lib\/src\.zip|docs)$/;

export const running: Running<'jvm'> = {
  async found(machine) {
    const javas = await javasOf(machine);
    const rows = javas.map(({ version, path, major, compiler }) => ({
      name: 'java',
      version,
      path,
      does: 'runs functions of runtime',
      what: `java ${String(major)}${compiler === undefined ? ', without a compiler' : ''}`,
    }));
    return { rows, document: { java: javas } };
  },
  async lookUp(machine, { runtime }) {
    const javas = await javasOf(machine);
    const major = Number(runtime.version);
    const java = chooseJava(javas, major);
    const isCompiler = chooseCompiler(javas, major) !== undefined;
    const mend = isCompiler ? '' : `install a JDK ${String(major)} or newer, to compile with`;
    return { runtime: runtime.text, found: java !== undefined, path: java?.path ?? null, mend };
  },
  /** Newer machines run classes for older ones. */
  async choose(machine, { runtime }) {
    const wanted = Number(runtime.version);
    const javas = await javasOf(machine);
    const chosen = chooseJava(javas, Math.max(wanted, OLDEST_JAVA));
    if (chosen === undefined)
      throw new EmballageError('TOOLCHAIN_MISSING', {
        doing: 'looking for the runtime',
        expected: `Java ${String(wanted)} or newer`,
        found: javas[0] === undefined ? 'none on this machine' : `only Java ${javas[0].version}`,
        mend: 'install a JRE of that version, such as Debian’s default-jre-headless',
      });
    const remark = `java ${String(wanted)} is not on this machine; called with Java ${chosen.version}, which is newer`;
    return { program: chosen.path, ...(chosen.major !== wanted && { remark }) };
  },
  host: {
    runner: RUNNER,
    wholeAs: FUNCTION_JAR,
    args({ runner, root, memoryBytes }) {
      const mib = Math.max(16, Math.floor(memoryBytes / 1024 ** 2));
      return [
        // The machine itself needs room beside the heap.
        `-Xmx${String(Math.max(8, Math.floor(mib * 0.7)))}m`,
        '-XX:+UseSerialGC',
        '-XX:+ExitOnOutOfMemoryError',
        '-Xverify:all',
        '-Dfile.encoding=UTF-8',
        // The runner talks over descriptors that it was given by number.
        '--add-opens=java.base/java.io=ALL-UNNAMED',
        '-cp',
        `${runner}:${join(root, FUNCTION_JAR)}`,
        'emballage.host.Runner',
      ];
    },
    profile: profiling,
    load: ({ root }, file) => ({ file: join(root, FUNCTION_JAR), className: file }),
    fullHeap: 'Terminating due to java.lang.OutOfMemoryError',
    frames: /emballage\.host\.|java\.base\//,
    explain: missingClass,
  },
  image: {
    // The same classes start functions here and in images.
    starter: { path: RUNNER, name: 'start.jar' },
    plan: ({ file }) => ({ className: file }),
    command: ({ program = '/usr/bin/java', starters, root }) => [
      ...[program, '-XX:+ExitOnOutOfMemoryError', '-Dfile.encoding=UTF-8', '-cp', `${starters}/start.jar:${root}`],
      ...['emballage.host.Start', `${starters}/start.json`],
    ],
    find(files, env) {
      const home = valueIn(env, 'JAVA_HOME');
      const found = findProgram(files, env, ['java'], home === undefined ? [] : [`${home}/bin`]);
      if (found === undefined) return undefined;
      const real = found.real.path.replace(/\/(?:jre\/)?bin\/[^/]+$/, '');
      const version = /^JAVA_VERSION="([^"]+)"/m.exec(textOf(files, `${real}/release`) ?? '')?.[1];
      return { program: found.program, ...(version !== undefined && { version }) };
    },
    async base(machine, { runtime }) {
      const one = (await javasOf(machine)).find(({ major }) => String(major) === runtime.version);
      if (one === undefined) return undefined;
      return {
        from: `java ${one.version} of this machine`,
        folder: ['usr/local/java', dirname(dirname(realpathSync(one.path))), LEFT_OUT],
        env: ['JAVA_HOME=/usr/local/java'],
      };
    },
    entries: (entries, version) => forVersion(entries, Number(version)),
  },
};

/** What is thrown when a class is not there. */
const OF_CLASSES = /^java\.lang\.(?:ClassNotFoundException|NoClassDefFoundError|ExceptionInInitializerError)$/;

function missingClass({ name, missing }: Thrown): Explained | undefined {
  if (missing === undefined || !OF_CLASSES.test(name)) return undefined;
  return {
    expected: `the class ${printable(missing)}`,
    found: `${printable(name)}: it is not in the JAR`,
    mend: `if tracing took it out, add \`keep: ["${printable(missing.replaceAll('.', '/'))}.class"]\`; otherwise add what has it to \`needs\``,
  };
}

const VERSIONED = /^META-INF\/versions\/(\d+)\/(.+)$/;

/** Classes for particular versions of Java count only in JAR files (JEP 238); in a folder the right ones take their place. */
function forVersion(entries: readonly PackedEntry[], java: number): PackedEntry[] {
  const chosen = new Map<string, { readonly version: number; readonly entry: PackedEntry }>();
  for (const entry of entries) {
    const [, digits, plain] = VERSIONED.exec(entry.path) ?? [];
    const version = Number(digits ?? 0);
    const path = plain ?? entry.path;
    const before = chosen.get(path);
    if (version > java || (before !== undefined && before.version > version)) continue;
    chosen.set(path, { version, entry: plain === undefined ? entry : { ...entry, path } });
  }
  return [...chosen.values()].map(({ entry }) => entry);
}
