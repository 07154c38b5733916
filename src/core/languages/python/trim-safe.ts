/** What can be taken out of any package without changing how it behaves. Each rule has a name that the waybill gives. */
import { baseOf, folderOf } from '../../base/paths';

export type SafeRule = 'tests' | 'stubs' | 'caches' | 'docs' | 'compiled-sources' | 'other-platforms';

export interface SafeSubject {
  /** Path in the artifact. */
  readonly path: string;
  /** All paths of the distribution. */
  readonly siblings: ReadonlySet<string>;
  /** Whether something outside its tests imports its tests. */
  readonly usesTests: boolean;
}

const OTHER_PLATFORMS = /\.(?:dll|dylib|pyd|exe)$/i;
const CYTHON_SOURCE = /\.(?:pyx|pxd|pxi)$/;
const COMPILED_SOURCE = /\.(?:c|cc|cpp|cxx|f|f90|rs)$/;
const DOC_FILE = /\.(?:md|rst|txt|html|css|png|svg|jpe?g|gif|ipynb)$/i;

/** The rule that lets a file go; undefined where it stays. */
export function safeRuleFor(subject: SafeSubject): SafeRule | undefined {
  const { path, siblings, usesTests } = subject;
  if (isAskedFor(path)) return undefined;
  if (/(?:^|\/)__pycache__\//.test(path) || /\.py[co]$/.test(path)) return 'caches';
  if (path.endsWith('.pyi') || baseOf(path) === 'py.typed') return 'stubs';
  if (!usesTests && isTestFile(path)) return 'tests';
  if (OTHER_PLATFORMS.test(path)) return 'other-platforms';
  if (CYTHON_SOURCE.test(path) || (COMPILED_SOURCE.test(path) && isCompiled(path, siblings))) return 'compiled-sources';
  return isDocumentation(path, siblings) ? 'docs' : undefined;
}

/** Metadata, licences and entry points are asked for at run time. */
function isAskedFor(path: string): boolean {
  return /(?:^|\/)[^/]+\.dist-info\//.test(path) || /^(?:licen[cs]e|copying|notice|authors)/i.test(baseOf(path));
}

function isDocumentation(path: string, siblings: ReadonlySet<string>): boolean {
  return /(?:^|\/)docs?\//.test(path) && DOC_FILE.test(path) && !siblings.has(`${folderOf(path)}/__init__.py`);
}

/** Whether a text imports from a package of tests. */
export function mentionsTests(code: string): boolean {
  return (
    /^\s*(?:from|import)\s+[\w.]*\btests?\b/m.test(code) ||
    /^\s*from\s+\.[\w.]*\s+import\s+[^\n]*\btests?\b/m.test(code)
  );
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
