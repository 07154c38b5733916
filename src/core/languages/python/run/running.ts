/** How Python functions are run: on this machine, in the stand-in host, in images. */
import { existsSync, realpathSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { EmballageError } from '../../../base/errors';
import { findProgram, packageVersion, textOf, type ImageFiles, type RealFile } from '../../../disk/unpack/in-image';
import type { Running } from '../../language';
import { choosePython, interpretersOf, pythonMend } from './interpreters';
import { profiling } from './profile';

/** What running functions never needs: other people’s packages, tests, compiled copies, headers, what builds software. */
const LEFT_OUT =
  /^(?:site-packages|dist-packages|test|idlelib|tkinter|turtledemo|lib2to3|ensurepip|config-[^/]*)$|(?:^|\/)(?:__pycache__|tests?)$/;

export const running: Running<'python'> = {
  async found(machine) {
    const pythons = await interpretersOf(machine);
    const rows = pythons.map(({ version, path, minor }) => ({
      name: 'python',
      version,
      path,
      does: 'runs functions of runtime',
      what: `python ${minor}`,
    }));
    return { rows, document: { python: pythons } };
  },
  async lookUp(machine, { runtime }) {
    const path = choosePython(await interpretersOf(machine), runtime.version)?.path ?? null;
    const mend = path === null ? pythonMend(runtime.version) : '';
    return { runtime: runtime.text, found: path !== null, path, mend };
  },
  async choose(machine, { runtime }) {
    const found = choosePython(await interpretersOf(machine), runtime.version);
    if (found !== undefined) return { program: found.path };
    throw new EmballageError('TOOLCHAIN_MISSING', {
      doing: 'looking for the runtime',
      expected: runtime.text,
      found: 'none on this machine; another version would say little about this one',
      mend: pythonMend(runtime.version),
    });
  },
  host: {
    runner: join(__dirname, 'runner.py'),
    // Isolated: neither the user's own packages nor settings of the interpreter; and nothing is written beside modules.
    args: ({ runner }) => ['-I', '-B', '-X', 'utf8', runner],
    profile: profiling,
    load: ({ root }, file) => ({ file: join(root, file) }),
    notes: {
      // Other shared objects are libraries, which code loads by their paths.
      isModule: (path) => /\.py$|\.(?:cpython-[\w-]+|abi3)\.so$/.test(path),
      // `a/b/__init__.py` is `a.b`.
      nameOf: (path) =>
        path
          .replace(/\/__init__\.py$/, '')
          .replace(/(?:\.py|(?:\.[\w-]+)?\.so)$/, '')
          .replaceAll('/', '.'),
    },
  },
  image: {
    starter: { path: join(__dirname, 'start.py'), name: 'start.py' },
    plan: ({ file }) => ({ file }),
    command: ({ program = '/usr/bin/python3', starters }) => [
      ...[program, '-B', '-s', '-X', 'utf8'],
      `${starters}/start.py`,
    ],
    find(files, env, version) {
      const found = findProgram(files, env, [`python${version}`, 'python3', 'python']);
      if (found === undefined) return undefined;
      const known = versionOf(files, found.real);
      return { program: found.program, ...(known !== undefined && { version: known }) };
    },
    async base(machine, { runtime: { version } }) {
      const one = choosePython(await interpretersOf(machine), version);
      const real = one === undefined ? '' : realpathSync(one.path);
      const library = join(dirname(dirname(real)), 'lib', `python${version}`);
      if (one === undefined || !existsSync(join(library, 'os.py'))) return undefined;
      return {
        from: `python ${one.version} of this machine`,
        program: [`usr/local/bin/python${version}`, real],
        folder: [`usr/local/lib/python${version}`, library, LEFT_OUT],
      };
    },
  },
};

/** By its name, and more exactly by its headers or by what the system has recorded. */
function versionOf(files: ImageFiles, real: RealFile): string | undefined {
  const short = /python(\d+\.\d+)$/.exec(real.path)?.[1];
  if (short === undefined) return undefined;
  const folder = real.path.replace(/\/?bin\/[^/]+$/, '');
  const header = textOf(files, `${folder}/include/python${short}/patchlevel.h`);
  const full = /PY_VERSION\s+"(\d+\.\d+\.\d+)/.exec(header ?? '')?.[1];
  return full ?? packageVersion(files, `python${short}-minimal`) ?? short;
}
