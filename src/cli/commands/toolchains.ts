/** `toolchains`: the runtimes found on this machine, and what the sheet's functions want. */
import { SHEET_NAME } from '../../core/pipeline/open-project';
import { existsSync } from 'node:fs';
import { chooseNode, findNodeRuntimes, type NodeRuntime } from '../../core/toolchains/node';
import type { Session } from '../session';
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
    'Shows the runtimes found on this machine that `try` can use, and whether each function of the sheet has its own.',
  examples: [
    ['', 'what is here'],
    ['--json', 'the same for a program'],
  ],
  options: (yargs) => yargs,
  async run(args, session) {
    const nodes = await findNodes();
    const wanted = await wantedRuntimes(args.sheet !== undefined, session);
    const functions = wanted.map(({ name, runtime, major }) => {
      const chosen = chooseNode(nodes, major);
      return { name, runtime, found: chosen?.major === major, path: chosen?.path ?? null };
    });
    session.document({ node: nodes, functions });
    if (session.json) return EXIT.done;
    const { table } = await import('../views/table');
    const { paint } = session;
    session.say(
      table(
        nodes.map((node) => [
          paint.bold('node'),
          node.version,
          paint.name(node.path),
          'runs functions of runtime',
          `node ${String(node.major)}`,
        ]),
      ),
    );
    const rows = functions.map(({ name, runtime, found, path }) => [
      paint.bold(name),
      runtime,
      found ? paint.good('found') : paint.doubt('not here'),
      found ? '' : `try uses ${path ?? 'nothing'}; install ${runtime} and put it on the PATH`,
    ]);
    if (rows.length > 0) session.say(`\n${table(rows)}`);
    session.next('build', 'make the artifacts');
    return EXIT.done;
  },
};

/** What the sheet's functions want; nothing where there is no sheet. */
async function wantedRuntimes(named: boolean, session: Session) {
  if (!named && !existsSync(SHEET_NAME)) return [];
  const { sheet } = await session.openProject();
  return sheet.functions.map(({ name, runtime }) => ({ name, runtime: runtime.text, major: Number(runtime.version) }));
}
