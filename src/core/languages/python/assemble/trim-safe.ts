/** What can be taken out of any package without changing how it behaves. Each rule has a name that the waybill gives. */
import { baseOf, folderOf, joinPath } from '../../../base/paths';

export type SafeRule = 'tests' | 'stubs' | 'caches' | 'docs' | 'compiled-sources' | 'other-platforms';

export interface SafeSubject {
  /** Path in the artifact. */
  readonly path: string;
  /** All paths of the distribution. */
  readonly siblings: ReadonlySet<string>;
  /** Folders of tests that something which stays imports from. */
  readonly usedTests: ReadonlySet<string>;
  /** It is compiled for another processor or system. */
  readonly isForOther?: boolean;
  /** For a stub: the module beside it reads it when it runs. */
  readonly isStubRead?: boolean;
}

const OTHER_PLATFORMS = /\.(?:dll|dylib|pyd|exe)$/i;
const CYTHON_SOURCE = /\.(?:pyx|pxd|pxi)$/;
const COMPILED_SOURCE = /\.(?:c|cc|cpp|cxx|f|f90|rs)$/;
/** What compiled modules were compiled with, beside them. */
const HEADER = /^(?=.*\.(?:h|hh|hpp|hxx|cuh|cc|cpp|cxx|c)$)(?:.*\/)?(?:include|src)\//;
/** Packages that compile when they run. */
const COMPILES =
  /^(?:torch|triton|cffi|cupy|numba|pycuda|pyopencl|jax|jaxlib|tensorflow|tvm|pythran|Cython|pybind11|nvidia)\//i;
const DOC_FILE = /\.(?:md|rst|txt|html|css|png|svg|jpe?g|gif|ipynb)$/i;

/** The rule that lets a file go; undefined where it stays. */
export function safeRuleFor(subject: SafeSubject): SafeRule | undefined {
  const { path, siblings, usedTests: used } = subject;
  if (isAskedFor(path)) return undefined;
  if (/(?:^|\/)__pycache__\//.test(path) || /\.py[co]$/.test(path)) return 'caches';
  if ((path.endsWith('.pyi') && !subject.isStubRead) || baseOf(path) === 'py.typed') return 'stubs';
  if (isTestFile(path) && ![...used].some((folder) => path.startsWith(`${folder}/`))) return 'tests';
  if (OTHER_PLATFORMS.test(path) || subject.isForOther === true) return 'other-platforms';
  if (isSourceOfCompiled(path, siblings)) return 'compiled-sources';
  return isDocumentation(path, siblings) ? 'docs' : undefined;
}

/** Metadata, licences and entry points are asked for at run time. */
function isAskedFor(path: string): boolean {
  return /(?:^|\/)[^/]+\.dist-info\//.test(path) || /^(?:licen[cs]e|copying|notice|authors)/i.test(baseOf(path));
}

function isSourceOfCompiled(path: string, siblings: ReadonlySet<string>): boolean {
  if (CYTHON_SOURCE.test(path) || (COMPILED_SOURCE.test(path) && isCompiled(path, siblings))) return true;
  return HEADER.test(path) && !COMPILES.test(path) && hasCompiled(siblings);
}

function hasCompiled(siblings: ReadonlySet<string>): boolean {
  for (const path of siblings) if (path.endsWith('.so')) return true;
  return false;
}

function isDocumentation(path: string, siblings: ReadonlySet<string>): boolean {
  return /(?:^|\/)docs?\//.test(path) && DOC_FILE.test(path) && !siblings.has(`${folderOf(path)}/__init__.py`);
}

/** Whether a module takes what it exports from the stub beside it (Scientific Python, SPEC 1). */
export function readsItsStub(code: string): boolean {
  return code.includes('attach_stub');
}

const IMPORT_OF_TESTS =
  /^[ \t]*(?:from[ \t]+(?<whole>[\w.]*\btests?)\b|import[ \t]+(?<plain>[\w.]*\btests?)\b|from[ \t]+(?<from>\.*[\w.]*)[ \t]+import[ \t]+[^\n]*\b(?<name>tests?)\b)/gm;

/** Folders of tests that a module imports from. @param path of the module in the artifact */
export function testsImportedBy(path: string, code: string): string[] {
  return [...code.matchAll(IMPORT_OF_TESTS)].flatMap(({ groups = {} }) => {
    const { whole, plain, from = '', name = '' } = groups;
    const module = whole ?? plain ?? (/^\.*$/.test(from) ? from + name : `${from}.${name}`);
    const [, dots = '', rest = ''] = /^(\.*)(.*)$/.exec(module) ?? [];
    let folder = dots === '' ? '' : folderOf(path);
    for (let up = 1; up < dots.length; up++) folder = folderOf(folder);
    return joinPath(folder, rest.replaceAll('.', '/'));
  });
}

/** Folders of tests that something which stays imports from: they stay as well, with those that they ask for themselves. */
export function usedTests(paths: Iterable<string>, read: (path: string) => string | undefined): Set<string> {
  const modules = [...paths].filter((path) => path.endsWith('.py'));
  const used = new Set<string>();
  const open = modules.filter((path) => !isTestFile(path));
  for (let path = open.pop(); path !== undefined; path = open.pop())
    for (const folder of testsImportedBy(path, read(path) ?? '')) {
      if (used.has(folder)) continue;
      used.add(folder);
      open.push(...modules.filter((one) => one.startsWith(`${folder}/`)));
    }
  return used;
}

/** Files in folders named for tests, not files named so: a package may well have a module `test.py` of its own. */
export function isTestFile(path: string): boolean {
  return /(?:^|\/)tests?\//.test(path);
}

/** Whether a compiled module of the same name lies beside it, or the Cython source that it was made from. */
function isCompiled(path: string, siblings: ReadonlySet<string>): boolean {
  const stem = path.replace(/\.[^./]+$/, '');
  if (siblings.has(`${stem}.pyx`) || siblings.has(`${stem}.so`) || siblings.has(`${stem}.abi3.so`)) return true;
  for (const other of siblings) if (other.startsWith(`${stem}.cpython-`)) return true;
  return false;
}
