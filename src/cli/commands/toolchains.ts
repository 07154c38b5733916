/** `toolchains`: the runtimes found on this machine, and what the sheet's functions want. */
import { SHEET_NAME } from '../../core/project/open-project';
import { existsSync } from 'node:fs';
import { chooseNode, findNodeRuntimes, type NodeRuntime } from '../../core/languages/node/run/runtimes';
import { isNative, type Runtime } from '../../core/sheet';
import { chooseCompiler, chooseJava, type JavaRuntime } from '../../core/languages/jvm/run/machines';
import { findEmulators } from '../../core/toolchains/emulator';
import { choosePython, type PythonRuntime } from '../../core/languages/python/run/interpreters';
import type { Session } from '../session';
import { ownArch } from '../native-run';
import { lookUpNative, missingNatives, nativeRows } from '../views/native-toolchains';
import type { Paint } from '../views/paint';
import { EXIT, type CommandModule } from './command';

/** The Node.js program that runs us. */
export function ownNode(): NodeRuntime {
  const version = process.versions.node;
  return { path: process.execPath, version, major: Number(version.split('.')[0]) };
}

export function findNodes(): Promise<NodeRuntime[]> {
  return findNodeRuntimes(ownNode(), process.env.PATH ?? '');
}

export const command: CommandModule = {
  about:
    'Shows the runtimes found on this machine that `try` can use, the compilers that `build` can, for which processors,\n' +
    'and whether each function of the sheet has its own.',
  examples: [
    ['', 'what is here'],
    ['--json', 'the same for a program'],
  ],
  options: (yargs) => yargs,
  async run(args, session) {
    const [nodes, pythons, javas, natives] = await Promise.all([
      findNodes(),
      session.pythons(),
      session.javas(),
      session.natives(),
    ]);
    const emulators = findEmulators(process.env.PATH ?? '').filter(({ arch }) => arch !== ownArch());
    const wanted = await wantedRuntimes(args.sheet !== undefined, session);
    const functions = wanted.map((spec) =>
      isNative(spec.runtime.language)
        ? { name: spec.name, ...lookUpNative(spec, natives) }
        : { name: spec.name, ...lookUp(spec.runtime, { nodes, pythons, javas }) },
    );
    session.document({ node: nodes, python: pythons, java: javas, ...natives, emulators, functions });
    if (session.json) return EXIT.done;
    const { table } = await import('../views/table');
    const { paint } = session;
    session.say(
      table([
        ...nodes.map(({ version, path, major }) => row(paint, 'node', version, path, `node ${String(major)}`)),
        ...pythons.map(({ version, path, minor }) => row(paint, 'python', version, path, `python ${minor}`)),
        ...javas.map(({ version, path, major, compiler }) =>
          row(
            paint,
            'java',
            version,
            path,
            `java ${String(major)}${compiler === undefined ? ', without a compiler' : ''}`,
          ),
        ),
        ...nativeRows(natives, emulators, paint),
      ]),
    );
    const open = missingNatives(natives, emulators, ownArch());
    if (open.length > 0) session.say(`\n${table(open.map(([what, mend]) => [paint.doubt('not here'), what, mend]))}`);
    const rows = functions.map(({ name, runtime, found, mend }) => [
      paint.bold(name),
      runtime,
      found ? paint.good('found') : paint.doubt('not here'),
      mend,
    ]);
    if (rows.length > 0) session.say(`\n${table(rows)}`);
    session.next('build', 'make the artifacts');
    return EXIT.done;
  },
};

function row(paint: Paint, language: string, version: string, path: string, runtime: string): string[] {
  return [paint.bold(language), version, paint.name(path), 'runs functions of runtime', runtime];
}

/** Whether a runtime is here, and what to do when it is not. */
function lookUp(
  runtime: Runtime,
  {
    nodes,
    pythons,
    javas,
  }: {
    readonly nodes: readonly NodeRuntime[];
    readonly pythons: readonly PythonRuntime[];
    readonly javas: readonly JavaRuntime[];
  },
) {
  if (runtime.language === 'python') {
    const path = choosePython(pythons, runtime.version)?.path ?? null;
    const mend = path === null ? pythonMend(runtime.version) : '';
    return { runtime: runtime.text, found: path !== null, path, mend };
  }
  const major = Number(runtime.version);
  if (runtime.language === 'java') {
    const java = chooseJava(javas, major);
    const isCompiler = chooseCompiler(javas, major) !== undefined;
    const mend = isCompiler ? '' : `install a JDK ${String(major)} or newer, to compile with`;
    return { runtime: runtime.text, found: java !== undefined, path: java?.path ?? null, mend };
  }
  const chosen = chooseNode(nodes, major);
  const found = chosen?.major === major;
  const mend = found ? '' : `try uses ${chosen?.path ?? 'nothing'}; install ${runtime.text} and put it on the PATH`;
  return { runtime: runtime.text, found, path: chosen?.path ?? null, mend };
}

/** How to get a Python that is missing. */
export function pythonMend(version: string): string {
  return `install Python ${version} (package python${version} where the system has it) so that \`python${version}\` is on the PATH`;
}

/** What the sheet's functions want; nothing where there is no sheet. */
async function wantedRuntimes(named: boolean, session: Session) {
  if (!named && !existsSync(SHEET_NAME)) return [];
  const { sheet } = await session.openProject();
  return sheet.functions;
}
