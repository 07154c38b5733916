/** The files among which modules are looked for, and what their package.json files say. */
import { folderOf, joinPath } from '../../../base/paths';

export interface FileTree {
  isFile(path: string): boolean;
  /** Text of a file; undefined where it cannot be read. */
  readText(path: string): string | undefined;
}

export interface PackageJson {
  readonly name?: string;
  readonly version?: string;
  readonly type?: 'module' | 'commonjs';
  readonly main?: string;
  readonly exports?: unknown;
  readonly imports?: unknown;
  /** `false`, or patterns of the files that have effects when they are loaded. */
  readonly sideEffects?: boolean | readonly string[];
  readonly engines?: { readonly node?: string };
  readonly scripts: Readonly<Record<string, string>>;
}

const EMPTY: PackageJson = { scripts: {} };

/** Reads each package.json once. */
export class PackageFiles {
  readonly #tree: FileTree;
  readonly #read = new Map<string, PackageJson | undefined>();
  readonly #scopes = new Map<string, string | undefined>();

  constructor(tree: FileTree) {
    this.#tree = tree;
  }

  /** What the package.json in a folder says; undefined where there is none. */
  in(folder: string): PackageJson | undefined {
    if (!this.#read.has(folder)) {
      const path = joinPath(folder, 'package.json');
      const text = this.#tree.isFile(path) ? this.#tree.readText(path) : undefined;
      this.#read.set(folder, text === undefined ? undefined : readPackageJson(text));
    }
    return this.#read.get(folder);
  }

  /** The folder of the package.json that counts for a file; undefined where there is none. */
  scopeOf(path: string): string | undefined {
    const folder = folderOf(path);
    if (!this.#scopes.has(folder)) this.#scopes.set(folder, this.#findScope(folder));
    return this.#scopes.get(folder);
  }

  #findScope(start: string): string | undefined {
    for (let folder = start; ; folder = folderOf(folder)) {
      // LOOKUP_PACKAGE_SCOPE ends at a folder of packages.
      if (folder.endsWith('node_modules')) return undefined;
      if (this.in(folder) !== undefined) return folder;
      if (folder === '') return undefined;
    }
  }

  /** The format of a file of code, as Node.js decides: undefined where its syntax does. */
  formatOf(path: string): 'esm' | 'cjs' | undefined {
    if (/\.m[jt]s$/.test(path)) return 'esm';
    if (/\.c[jt]s$/.test(path)) return 'cjs';
    const scope = this.scopeOf(path);
    const type = scope === undefined ? undefined : this.in(scope)?.type;
    return type === undefined ? undefined : type === 'module' ? 'esm' : 'cjs';
  }
}

export function readPackageJson(text: string): PackageJson {
  let value: unknown;
  try {
    value = JSON.parse(text.replace(/^\ufeff/, ''));
  } catch {
    return EMPTY;
  }
  if (typeof value !== 'object' || value === null) return EMPTY;
  const { name, version, type, main, exports, imports, sideEffects, engines, scripts } = value as Record<
    string,
    unknown
  >;
  const node = typeof engines === 'object' && engines !== null && 'node' in engines ? engines.node : undefined;
  return {
    ...(typeof name === 'string' && { name }),
    ...(typeof version === 'string' && { version }),
    ...((type === 'module' || type === 'commonjs') && { type }),
    ...(typeof main === 'string' && { main }),
    ...(exports !== undefined && exports !== null && { exports }),
    ...(imports !== undefined && imports !== null && { imports }),
    ...(typeof sideEffects === 'boolean' && { sideEffects }),
    ...(Array.isArray(sideEffects) && { sideEffects: sideEffects.map(String) }),
    ...(typeof node === 'string' && { engines: { node } }),
    scripts: Object.fromEntries(
      Object.entries(typeof scripts === 'object' && scripts !== null ? scripts : {}).filter(
        (one): one is [string, string] => typeof one[1] === 'string',
      ),
    ),
  };
}
