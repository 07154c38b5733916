/** How Node.js functions are run: on this machine, in the stand-in host, in images. */
import { realpathSync } from 'node:fs';
import { join } from 'node:path';
import { EmballageError } from '../../../base/errors';
import { findProgram, packageVersion, search } from '../../../disk/unpack/in-image';
import type { Machine } from '../../../toolchains/machine';
import type { Running } from '../../language';
import { chooseNode, findNodeRuntimes, type NodeRuntime } from './runtimes';
import { profiling } from './profile';

/** The Node.js programs here, looked for once. */
function nodesOf(machine: Machine): Promise<NodeRuntime[]> {
  return machine.once('node', () => {
    const { path, version } = machine.self;
    return findNodeRuntimes({ path, version, major: Number(version.split('.')[0]) }, machine.searchPath);
  });
}

export const running: Running<'node'> = {
  async found(machine) {
    const nodes = await nodesOf(machine);
    const rows = nodes.map(({ version, path, major }) => ({
      name: 'node',
      version,
      path,
      does: 'runs functions of runtime',
      what: `node ${String(major)}`,
    }));
    return { rows, document: { node: nodes } };
  },
  async lookUp(machine, { runtime }) {
    const major = Number(runtime.version);
    const chosen = chooseNode(await nodesOf(machine), major);
    const found = chosen?.major === major;
    const mend = found ? '' : `try uses ${chosen?.path ?? 'nothing'}; install ${runtime.text} and put it on the PATH`;
    return { runtime: runtime.text, found, path: chosen?.path ?? null, mend };
  },
  async choose(machine, { runtime }) {
    const major = Number(runtime.version);
    const chosen = chooseNode(await nodesOf(machine), major);
    if (chosen === undefined)
      throw new EmballageError('TOOLCHAIN_MISSING', {
        doing: 'looking for the runtime',
        expected: runtime.text,
        found: 'no Node.js at all',
        mend: 'install Node.js',
      });
    const remark = `${runtime.text} is not on this machine; called with Node.js ${chosen.version}, the nearest, so the result may differ`;
    return { program: chosen.path, ...(chosen.major !== major && { remark }) };
  },
  host: {
    runner: join(__dirname, 'runner.mjs'),
    args: ({ runner, memoryBytes }) => [
      `--max-old-space-size=${String(Math.max(16, Math.floor(memoryBytes / 1024 ** 2)))}`,
      runner,
    ],
    profile: profiling,
    load: ({ root }, file) => ({ file: join(root, file) }),
    fullHeap: 'heap out of memory',
    frames: /node:internal|runner\.mjs/,
  },
  image: {
    starter: { path: join(__dirname, 'start.mjs'), name: 'start.mjs' },
    plan: ({ file }) => ({ file }),
    command: ({ program = '/usr/bin/node', starters }) => [program, `${starters}/start.mjs`],
    find(files, env) {
      const found = findProgram(files, env, ['node', 'nodejs']);
      if (found === undefined) return undefined;
      // Every Node.js knows where its own headers are published; Debian's is known by its package.
      const version = search(files, found.real.node, /node-v(\d+\.\d+\.\d+)/) ?? packageVersion(files, 'nodejs');
      return { program: found.program, ...(version !== undefined && { version }) };
    },
    async base(machine, { runtime }) {
      const one = (await nodesOf(machine)).find(({ major }) => String(major) === runtime.version);
      if (one === undefined) return undefined;
      const program = ['usr/local/bin/node', realpathSync(one.path)] as const;
      return { from: `node ${one.version} of this machine`, program };
    },
  },
};
