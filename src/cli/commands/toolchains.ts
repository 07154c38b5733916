/** `toolchains`: the runtimes and compilers found on this machine, and what the sheet's functions want. */
import { existsSync } from 'node:fs';
import { baseOf } from '../../core/base/paths';
import { LANGUAGES, workOf, type ToolchainRow } from '../../core/languages';
import { SHEET_NAME } from '../../core/project/open-project';
import type { FunctionSpec } from '../../core/sheet';
import { findEmulators, missingEmulators, type Emulator } from '../../core/toolchains/emulator';
import type { Session } from '../session/session';
import { EXIT, type CommandModule } from './command';

export const command: CommandModule = {
  about:
    'Shows the runtimes found on this machine that `try` can use, the compilers that `build` can, for which processors,\n' +
    'and whether each function of the sheet has its own.',
  examples: [
    ['', 'what is here'],
    ['--json', 'the same for a program'],
  ],
  options: {},
  async run(args, session) {
    const machine = session.machine();
    const found = await Promise.all(LANGUAGES.map(async ({ open }) => (await open()).run.found(machine)));
    const all = findEmulators(machine.searchPath);
    const emulators = all.filter(({ arch }) => arch !== machine.arch);
    const wanted = await wantedFunctions(args.sheet !== undefined, session);
    const functions = await Promise.all(
      wanted.map(async (spec) => ({
        name: spec.name,
        ...(await (await workOf(spec)).run.lookUp(machine, spec)),
      })),
    );
    const documents = found.map(({ document }) => document);
    session.document({ ...(Object.assign({}, ...documents) as object), emulators, functions });
    if (session.json) return EXIT.done;
    const { table } = await import('../views/table');
    const { paint } = session;
    const rows = [...found.flatMap((one) => one.rows), ...emulators.map(emulatorRow)];
    session.say(
      table(
        rows.map(({ name, version, path, does, what }) => [paint.bold(name), version, paint.name(path), does, what]),
      ),
    );
    const open = [...found.flatMap(({ missing = [] }) => missing), ...missingEmulators(all, machine.arch)];
    if (open.length > 0) session.say(`\n${table(open.map(({ what, mend }) => [paint.doubt('not here'), what, mend]))}`);
    const looked = functions.map(({ name, runtime, found: isFound, mend }) => [
      paint.bold(name),
      runtime,
      isFound ? paint.good('found') : paint.doubt('not here'),
      mend,
    ]);
    if (looked.length > 0) session.say(`\n${table(looked)}`);
    session.next('build', 'make the artifacts');
    return EXIT.done;
  },
};

function emulatorRow({ arch, path, sysroot }: Emulator): ToolchainRow {
  const what = `${arch}${sysroot === undefined ? ', static ones' : `, with the C library in ${sysroot}`}`;
  return { name: baseOf(path), version: '', path, does: 'runs executables for', what };
}

/** The functions of the sheet; none where there is no sheet. */
async function wantedFunctions(isNamed: boolean, session: Session): Promise<readonly FunctionSpec[]> {
  if (!isNamed && !existsSync(SHEET_NAME)) return [];
  const { sheet } = await session.openProject();
  return sheet.functions;
}
