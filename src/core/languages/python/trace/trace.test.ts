import { namesInCompiled } from './compiled-code';
import { readModuleFacts } from './module-facts';
import { absoluteName, ModuleTree } from './module-tree';
import { readParameters } from './definitions';
import { traceModules } from './tracer';

describe('facts of a module', () => {
  it('are its imports in every form, with what stands around them', () => {
    const code = [
      'import a.b as c, d',
      'from . import x as y, z',
      'from ...p.q import (r,  # why',
      '    s)',
      'from m import *',
      'def f():',
      '    import g',
      'try:',
      '    from h import i',
      'except ImportError:',
      '    pass',
      'if TYPE_CHECKING:',
      '    import never',
      'elif sys.platform == "win32":',
      '    import w',
      'importlib.import_module(".k", __name__)',
      '__import__("l")',
    ].join('\n');
    const found = readModuleFacts(code).imports.map(({ level, module, names, guard, line }) => [
      line,
      level,
      module,
      names,
      guard,
    ]);
    expect(found.sort((a, b) => Number(a[0]) - Number(b[0]))).toEqual([
      [1, 0, 'a.b', undefined, 'none'],
      [1, 0, 'd', undefined, 'none'],
      [2, 1, '', ['x', 'z'], 'none'],
      [3, 3, 'p.q', ['r', 's'], 'none'],
      [5, 0, 'm', '*', 'none'],
      [7, 0, 'g', undefined, 'function'],
      [9, 0, 'h', ['i'], 'try'],
      [14, 0, 'w', undefined, 'condition'],
      [16, 1, 'k', undefined, 'condition'],
      [17, 0, 'l', undefined, 'condition'],
    ]);
  });

  it('are the places where a name is computed', () => {
    const code =
      'import importlib\nimportlib.import_module(name)\n__import__(f"a.{b}")\nimportlib.import_module(".x", other)\n';
    const facts = readModuleFacts(code);
    expect(facts.unseen.map(({ line }) => line)).toEqual([2, 4]);
    expect(facts.prefixes).toEqual([{ level: 0, module: 'a.', line: 3 }]);
  });

  it('are the settings it reads, and not those it sets', () => {
    const code =
      'os.environ["A"]\nos.environ["B"] = "1"\nos.getenv("C", "d")\nos.environ.get(\'D\')\nenviron["E"].upper()\nos.environ[name]\ndel os.environ["F"]\nfrom os import environ\n';
    expect(readModuleFacts(code).settings.map(({ name, line, hasDefault }) => [name, line, hasDefault])).toEqual([
      ['A', 1, false],
      ['C', 3, true],
      ['D', 4, false],
      ['E', 5, false],
    ]);
    // That of a request (PEP 3333) is none of the process.
    const request = 'def app(environ, start_response):\n    return environ["PATH_INFO"], environ.get("HTTP_HOST")\n';
    expect(readModuleFacts(request).settings).toEqual([]);
  });

  it('are what it defines, also in conditions, and how that is called', () => {
    const code =
      'if x:\n    def f(a, b=1, *c): pass\n@deco\nasync def g(event, context): pass\nh = lambda e: 1\nclass K: pass\nn = 3\nfrom a import b as c\nimport p.q\n__all__ = ["f", "g"]\n__all__ += ["h"]\n';
    const { members, all } = readModuleFacts(code);
    expect(all).toEqual(['f', 'g', 'h']);
    expect(members).toMatchObject({
      f: { kind: 'function', isAsync: false, parameters: { least: 1, names: ['a', 'b'], namedOnly: [] } },
      g: { kind: 'function', isAsync: true, isDecorated: true },
      h: { kind: 'function', parameters: { least: 1, most: 1 } },
      K: { kind: 'class' },
      n: { kind: 'constant', what: 'a number' },
      c: { kind: 'import', module: 'a', name: 'b' },
      p: { kind: 'import', module: 'p', name: '' },
    });
  });

  it('count parameters as calls see them', () => {
    expect(readParameters('(a, /, b: dict[str, int] = {"x": (1, 2)}, *, c, d=1, **e)')).toEqual({
      least: 1,
      most: 2,
      names: ['a', 'b'],
      namedOnly: ['c'],
    });
    expect(readParameters('(*args)')).toEqual({ least: 0, names: [], namedOnly: [] });
    expect(readParameters('()')).toEqual({ least: 0, most: 0, names: [], namedOnly: [] });
  });

  it('are the syntax that older versions do not know', () => {
    const code =
      'match x:\n    case 1: pass\ntry: pass\nexcept* E: pass\ntype T = int\ndef f[A](a): pass\nif (n := 1): pass\n' +
      'try: pass\nexcept A, B: pass\nx = rt"{n}"\ntry: pass\nexcept (A, B): pass\ny = at["t"]\n';
    expect(
      readModuleFacts(code)
        .syntax.map(({ since, line }) => [since, line])
        .sort(),
    ).toEqual([
      ['3.10', 1],
      ['3.11', 3],
      ['3.12', 5],
      ['3.12', 6],
      ['3.14', 10],
      ['3.14', 9],
      ['3.8', 7],
    ]);
  });
});

describe('tracing', () => {
  const trace = async (
    files: Readonly<Record<string, string>>,
    roots: readonly string[],
    { asked = [], isStrict = false }: { asked?: readonly string[]; isStrict?: boolean } = {},
  ) => {
    const owner = (path: string): string => (path.startsWith('own') ? '' : (path.split(/[/.-]/)[0] ?? ''));
    const { reached, unseen } = await traceModules({
      files: new Map(Object.keys(files).map((path) => [path, { owner: owner(path) }])),
      roots,
      factsOf: (path) => readModuleFacts(files[path] ?? ''),
      requiredBy: (name) => (name === 'plug' ? ['dep'] : []),
      isExtension: (path) => (files[path] ?? '').includes('PyInit_'),
      namesIn: (path, tops) => namesInCompiled(Buffer.from(files[path] ?? ''), tops),
      entryPoints: (group) => (group === 'tides' ? ['pointed.here'] : []),
      asked,
      isStrict,
    });
    return { reached: [...reached.keys()].sort(), unseen };
  };

  it('keeps the data of a package beside a module that has its name as a text', async () => {
    const files = {
      'own.py': 'import a\n',
      'a/__init__.py': 'FOLDERS = ["grammars", "plain"]\n',
      'a/grammars/__init__.py': '',
      'a/grammars/common.lark': '',
      'a/plain/__init__.py': '',
    };
    const { reached } = await trace(files, ['own.py']);
    expect(reached).toEqual(['a/__init__.py', 'a/grammars/__init__.py', 'a/grammars/common.lark', 'own.py']);
  });

  it('runs the packages around a module, takes submodules by name, and follows `__all__`', async () => {
    const files = {
      'own.py': 'import a.b.c\nfrom d import sub, value\nfrom e import *\n',
      'a/__init__.py': '',
      'a/b/c.py': 'from . import beside\nfrom .. import up\n',
      'a/b/beside.py': '',
      'a/up.py': '',
      'a/idle.py': '',
      'd/__init__.py': 'value = 1\n',
      'd/sub.py': '',
      'd/idle.py': '',
      'e/__init__.py': '__all__ = ["one"]\n',
      'e/one.py': '',
      'e/two.py': '',
    };
    const idle = ['a/idle.py', 'd/idle.py', 'e/two.py'];
    expect((await trace(files, ['own.py'])).reached).toEqual(
      Object.keys(files)
        .filter((path) => !idle.includes(path))
        .sort(),
    );
  });

  it('keeps data beside used modules, libraries, and metadata of what is used', async () => {
    const files = {
      'own.py': 'import a\nimport importlib.metadata\nimportlib.metadata.entry_points(group="tides")\n',
      'a/__init__.py': '',
      'a/data/table.csv': '',
      'a/idle/__init__.py': 'import a\n',
      'a/idle/table.csv': '',
      'a/libx.so': 'library',
      'a/_fast.cpython-311-x86_64-linux-gnu.so': 'PyInit__fast',
      'a-1.dist-info/METADATA': '',
      'b-1.dist-info/METADATA': '',
      'b/__init__.py': '',
      'pointed/__init__.py': '',
      'pointed/here.py': '',
      'bin/a': '',
    };
    expect((await trace(files, ['own.py'])).reached).toEqual(
      [
        'own.py',
        'a/__init__.py',
        'a/data/table.csv',
        'a/libx.so',
        'a-1.dist-info/METADATA',
        'pointed/__init__.py',
        'pointed/here.py',
      ].sort(),
    );
  });

  it('keeps whole what it cannot see into, and what that asks for', async () => {
    const files = {
      'own.py': 'import plug, fast.core\n',
      'plug/__init__.py': '__import__(name)\n',
      'plug/any.py': 'import far\n',
      'far/__init__.py': '',
      'dep/__init__.py': '',
      'dep/idle.py': '',
      'fast/core.abi3.so': 'PyInit_core',
      'fast/used.py': '',
    };
    const { reached, unseen } = await trace(files, ['own.py']);
    expect(reached).toEqual(
      Object.keys(files)
        .filter((path) => path !== 'dep/idle.py')
        .sort(),
    );
    expect(unseen).toEqual([{ file: 'plug/__init__.py', line: 1, what: '__import__(name)', kept: 'plug/' }]);
  });

  it('takes a folder with an empty `__init__.py`, and no other module, for a place of data', async () => {
    const files = {
      'own.py': 'import a\n',
      'a/__init__.py': '',
      'a/tables/__init__.py': '# Heights.\n',
      'a/tables/deep/linux/solve': 'program',
      'a/code/__init__.py': 'from . import x\n',
      'a/code/table.csv': '',
    };
    expect((await trace(files, ['own.py'])).reached).toEqual(['a/__init__.py', 'a/tables/deep/linux/solve', 'own.py']);
  });

  it('follows names in compiled code, and takes all that its package needs where they cannot be read', async () => {
    const files = {
      'own.py': 'import plug\n',
      'plug/__init__.py': 'from . import _fast\n',
      'plug/_fast.abi3.so': '',
      'dep/__init__.py': '',
      'dep/used.py': '',
      'dep/run/__init__.py': '',
      'dep/run/to.py': '',
      'dep/idle.py': '',
    };
    const all = Object.keys(files).sort();
    const reached = async (code: string, isStrict = false): Promise<string[]> =>
      (await trace({ ...files, 'plug/_fast.abi3.so': `PyInit__fast ${code}` }, ['own.py'], { isStrict })).reached;
    const without = (...paths: string[]): string[] => all.filter((path) => !paths.includes(path));
    expect(await reached('\0dep.used\0')).toEqual(without('dep/run/__init__.py', 'dep/run/to.py', 'dep/idle.py'));
    expect(await reached('dep.run.together')).toEqual(without('dep/used.py', 'dep/idle.py'));
    expect(await reached('cython_runtime __test__')).toEqual(
      without('dep/used.py', 'dep/run/__init__.py', 'dep/run/to.py', 'dep/idle.py'),
    );
    expect(await reached('cython_runtime')).toEqual(all);
    expect(await reached('cython_runtime', true)).not.toContain('dep/idle.py');
  });

  it('finds modules as the importer does', () => {
    const tree = new ModuleTree([
      'a.py',
      'a/__init__.py',
      'b.abi3.so',
      'b.py',
      'n/deep/m.py',
      'not-a-name/x.py',
      'c.txt',
    ]);
    expect([
      tree.fileOf('a'),
      tree.fileOf('b'),
      tree.has('n.deep'),
      tree.fileOf('n.deep'),
      tree.has('x'),
      tree.has('c'),
    ]).toEqual(['a/__init__.py', 'b.abi3.so', true, undefined, false, false]);
  });

  it('may be named by the file that a package is made of', () => {
    expect([absoluteName('p.q', 1, '__init__'), absoluteName('', 0, 'p.__init__'), absoluteName('p', 1, 'a')]).toEqual([
      'p.q',
      'p',
      'p.a',
    ]);
  });
});
