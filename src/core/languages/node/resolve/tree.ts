/** The files among which modules are looked for, and what their package.json files say. */
import { folderOf, joinPath } from '../../../base/paths';
import { present } from '../../../base/present';
import { nearestInstalled } from '../view/owner';

export interface FileTree {
  isFile(path: string): boolean;
  /** Text of a file; undefined where it cannot be read. */
  readText(path: string): string | undefined;
}

export interface PackageJson {
  readonly name?: string;
  readonly type?: 'module' | 'commonjs';
  readonly main?: string;
  readonly exports?: unknown;
  readonly imports?: unknown;
  /** `false`, or patterns of the files that have effects when they are loaded. */
  readonly sideEffects?: boolean | readonly string[];
  /** Names of packages that it can do without. */
  readonly optionalDependencies: readonly string[];
  readonly dependencies: readonly string[];
}

const EMPTY: PackageJson = { optionalDependencies: [], dependencies: [] };

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

  /** The folder of a package, as it is looked for from a folder; undefined where there is none. */
  find(name: string, from: string): string | undefined {
    return nearestInstalled(name, from, (path) => (this.in(path) === undefined ? undefined : path));
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

/**
 * What resolution asks of a `package.json`; nothing where it cannot be read.
 */
export function readPackageJson(text: string): PackageJson {
  let value: unknown;
  try {
    value = JSON.parse(text.replace(/^\ufeff/, ''));
  } catch {
    return EMPTY;
  }
  if (typeof value !== 'object' || value === null) return EMPTY;
  const fields = value as Record<string, unknown>;
  const { type, exports, imports } = fields;
  return present({
    name: textOf(fields.name),
    type: type === 'module' || type === 'commonjs' ? type : undefined,
    main: textOf(fields.main),
    exports: exports ?? undefined,
    imports: imports ?? undefined,
    sideEffects: sideEffectsOf(fields.sideEffects),
    optionalDependencies: Object.keys(textsOf(fields.optionalDependencies)),
    dependencies: Object.keys(textsOf(fields.dependencies)),
  });
}

function textOf(value: unknown): string | undefined {
  return typeof value === 'string' ? value : undefined;
}

function sideEffectsOf(value: unknown): boolean | readonly string[] | undefined {
  return Array.isArray(value) ? value.map(String) : typeof value === 'boolean' ? value : undefined;
}

function textsOf(value: unknown): Record<string, string> {
  const entries = Object.entries(typeof value === 'object' && value !== null ? value : {});
  return Object.fromEntries(entries.filter((one): one is [string, string] => typeof one[1] === 'string'));
}
