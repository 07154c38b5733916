/** Functions in Python. */
import type { Language } from '../language';
import { KEPT } from './caches';
import { lighter } from './suggestions';
import type { LockedPythonPackage, PythonKeys } from './own';

declare module '../../sheet/model' {
  interface Languages {
    python: {
      keys: PythonKeys;
      lockedPackage: LockedPythonPackage;
      locked: never;
      carriedPackage: never;
      carried: never;
    };
  }
}

export const python: Language<'python'> = {
  id: 'python',
  title: 'Python',
  runtime: {
    word: 'python',
    version: { sheet: '3\\.\\d+', offered: '\\d+\\.\\d+', shown: 'X.Y' },
    aliases: ['py', 'cpython', 'python3'],
    sample: 'python 3.11',
  },
  sheet: {
    forms: ['zip', 'image'],
    adapters: ['wsgi', 'asgi'],
    entry: {
      hasMember: true,
      isPath: true,
      pattern: /^(?:[A-Za-z_]\w*\/)*[A-Za-z_]\w*\.py$/,
      endings: '`.py` and can be imported',
      mend: 'name the file that the host loads',
      sample: 'intake.py#receive',
      hostKey: 'python',
      hostForm: '{path}#{member}',
      words: ({ file, member }) => {
        const module = file.replace(/\.[^./]+$/, '');
        return { path: file, file, module: module.replaceAll('/', '.'), class: module, member };
      },
    },
    needs: {
      files: /\.txt$|\.in$|^pyproject\.toml$|^pylock(?:\.[^.]+)?\.toml$/,
      expected: 'a requirements file (`*.txt`), `pyproject.toml` or `pylock.toml`',
      isListed: true,
    },
    keys: ['bytecode', 'sources'],
    traced: ['strict'],
    broughtBy: 'python',
    texts: {
      runtime: '`python X.Y`',
      entry: 'a file of the source and a member that it exports, `FILE#MEMBER`',
      needs:
        'for Python a list such as `["levels>=2"]`, or `requirements.txt`, `pyproject.toml` (`pyproject.toml[group]` with optional groups) or `pylock.toml`',
      sources: 'for Python an index (the simple repository interface), or a folder of wheels',
      trim: 'for Python and Node.js with `{ traced: strict }` also what the function asks for and nothing is seen to import',
      adapter: 'of the interface `wsgi` or `asgi` for Python',
    },
    open: async () => (await import('./keys')).pythonKeys,
  },
  parts: async () => (await import('./parts')).pythonParts,
  suggestions: lighter,
  caches: Object.values(KEPT),
  exports: [
    {
      option: 'pylock',
      describe: 'for one Python function: also write what was settled as a pylock.toml (PEP 751)',
      write: async (targets, version) => (await import('./locks/export-pylock')).pylockOf(targets, version),
    },
  ],
  pages: {
    about:
      'each folder in it with a pyproject.toml becomes wheels (what lies under src/ is packed, each platform/ARCH/ gives one for that architecture); wheels that lie there are served as they are',
    open: async () => (await import('./sources/pages')).openPages(),
  },
  survey: async () => (await import('./survey')).pythonSurveyor,
  describing: async () => (await import('./view/describing')).pythonDescribing,
  weighing: async () => (await import('./view/weighing')).pythonWeighing,
  open: async () => (await import('./work')).pythonWork,
};
