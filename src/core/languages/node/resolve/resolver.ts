/**
 * Finds the file that a specifier leads to, as Node.js does for ES modules and for CommonJS (its documentation, "Modules:
 * ECMAScript modules", "Resolution and Loading Algorithm", and "Modules: CommonJS modules", "All together").
 */
import { folderOf, joinPath, settlePath } from '../../../base/paths';
import { isBuiltin } from './builtins';
import { resolveExports, resolveImports, type TargetResult } from './package-exports';
import { PackageFiles, type FileTree } from './tree';

export type Resolved =
  | { readonly kind: 'file'; readonly path: string }
  | { readonly kind: 'builtin'; readonly name: string }
  /** `why` says in words what was looked for, and `near` what is there instead. */
  | { readonly kind: 'missing'; readonly why: string; readonly near?: string };

export type Way = 'import' | 'require';

export interface ResolverOptions {
  readonly tree: FileTree;
  /** Whether `require` of an ES module works, which brings a condition of its own. */
  readonly requiresEsm: boolean;
  /** Looks for what a TypeScript compiler would find where Node.js finds nothing. */
  readonly typescript?: TypeScriptPaths;
}

/** How specifiers in TypeScript lead to files. */
export interface TypeScriptPaths {
  isTypeScript(path: string): boolean;
  /** Paths that a specifier is mapped to for the file that has it, in order; empty where it is not mapped. */
  mapped(specifier: string, from: string): readonly string[];
}

const CJS_ENDINGS = ['', '.js', '.json', '.node'] as const;
const LEGACY_MAIN_ENDINGS = ['', '.js', '.json', '.node', '/index.js', '/index.json', '/index.node'] as const;
const TYPESCRIPT_ENDINGS = ['.ts', '.tsx', '.mts', '.cts', '.jsx', '.mjs', '.cjs', '.js', '.json'] as const;
/** An ending as it is written, and those of the files that are compiled to it. */
const COMPILED_FROM: Readonly<Record<string, readonly string[]>> = {
  '.js': ['.ts', '.tsx', '.jsx'],
  '.mjs': ['.mts'],
  '.cjs': ['.cts'],
  '.jsx': ['.tsx'],
};

/** Stands for the star of a pattern; no file has it in its name. */
const ANY = '\u0001';

export class Resolver {
  readonly packages: PackageFiles;
  readonly #tree: FileTree;
  readonly #typescript: TypeScriptPaths | undefined;
  readonly #conditions: Readonly<Record<Way, ReadonlySet<string>>>;
  readonly #memory = new Map<string, Resolved>();

  constructor({ tree, requiresEsm, typescript }: ResolverOptions) {
    this.#tree = tree;
    this.#typescript = typescript;
    this.packages = new PackageFiles(tree);
    const both = ['node', 'node-addons', ...(requiresEsm ? ['module-sync'] : [])];
    this.#conditions = { import: new Set([...both, 'import']), require: new Set([...both, 'require']) };
  }

  resolve(specifier: string, from: string, way: Way): Resolved {
    // What is not relative is found the same from every file of a folder.
    const key = `${way}\0${folderOf(from)}\0${specifier}\0${this.#isTypeScript(from) ? 't' : ''}`;
    const known = this.#memory.get(key);
    if (known !== undefined) return known;
    const resolved = this.#resolve(specifier, from, way);
    this.#memory.set(key, resolved);
    return resolved;
  }

  #isTypeScript(path: string): boolean {
    return this.#typescript?.isTypeScript(path) === true;
  }

  #resolve(specifier: string, from: string, way: Way): Resolved {
    if (isBuiltin(specifier)) return { kind: 'builtin', name: specifier.replace(/^node:/, '') };
    if (specifier.startsWith('node:')) return missing('a module of that name in Node.js');
    for (const path of this.#typescript?.mapped(specifier, from) ?? []) {
      const found = this.#likeTypeScript(path);
      if (found !== undefined) return { kind: 'file', path: found };
    }
    if (/^\.{1,2}(?:\/|$)/.test(specifier)) return this.#relative(specifier, from, way);
    if (specifier.startsWith('/') || /^[a-z][a-z+.-]*:/i.test(specifier)) return missing('a path inside the artifact');
    if (specifier.startsWith('#')) return this.#imports(specifier, from, way);
    return this.#bare(specifier, from, way);
  }

  #relative(specifier: string, from: string, way: Way): Resolved {
    const plain = way === 'import' ? decoded(specifier) : specifier;
    const path = settlePath(joinPath(folderOf(from), plain));
    if (path === undefined) return missing('a file inside the source folder; this path leads out of it');
    const isFolder = /(?:^|\/)\.{0,2}$/.test(plain);
    const exact = way === 'import' ? (this.#tree.isFile(path) ? path : undefined) : this.#asCommonJs(path, isFolder);
    if (exact !== undefined) return { kind: 'file', path: exact };
    const compiled = this.#isTypeScript(from) ? this.#likeTypeScript(path) : this.#compiledTo(path);
    if (compiled !== undefined) return { kind: 'file', path: compiled };
    const near = this.#asCommonJs(path, isFolder) ?? this.#likeTypeScript(path);
    return { kind: 'missing', why: 'a file', ...(near !== undefined && { near }) };
  }

  /** LOAD_AS_FILE and LOAD_AS_DIRECTORY. */
  #asCommonJs(path: string, isFolder: boolean): string | undefined {
    const file = isFolder
      ? undefined
      : CJS_ENDINGS.map((ending) => path + ending).find((one) => this.#tree.isFile(one));
    return file ?? this.#asFolder(path);
  }

  #asFolder(path: string): string | undefined {
    const main = this.packages.in(path)?.main;
    const named = main === undefined ? undefined : settlePath(joinPath(path, main));
    const candidates = [
      ...(named === undefined || named === path ? [] : LEGACY_MAIN_ENDINGS.map((ending) => named + ending)),
      ...['index.js', 'index.json', 'index.node'].map((name) => joinPath(path, name)),
    ];
    return candidates.find((one) => this.#tree.isFile(one)) ?? this.#compiledMain(path, named);
  }

  /** A package of the project itself may have sources where its compiled files will be. */
  #compiledMain(path: string, named: string | undefined): string | undefined {
    if (this.#typescript === undefined) return undefined;
    const candidates = [...(named === undefined ? [] : [named]), joinPath(path, 'index')];
    return candidates.map((one) => this.#likeTypeScript(one)).find((one) => one !== undefined);
  }

  #likeTypeScript(path: string): string | undefined {
    if (this.#typescript === undefined) return undefined;
    if (this.#tree.isFile(path)) return path;
    return (
      this.#compiledTo(path) ??
      TYPESCRIPT_ENDINGS.map((ending) => path + ending).find((one) => this.#isModule(one)) ??
      TYPESCRIPT_ENDINGS.map((ending) => joinPath(path, `index${ending}`)).find((one) => this.#isModule(one))
    );
  }

  /** `a.js` where there is `a.ts`. */
  #compiledTo(path: string): string | undefined {
    const ending = /\.[cm]?jsx?$/.exec(path)?.[0] ?? '';
    const stem = path.slice(0, path.length - ending.length);
    return COMPILED_FROM[ending]
      ?.map((one) => stem + one)
      .find((one) => this.#isModule(one) && this.#isTypeScript(one));
  }

  #isModule(path: string): boolean {
    return this.#tree.isFile(path) && !/\.d\.[cm]?ts$/.test(path);
  }

  #imports(specifier: string, from: string, way: Way): Resolved {
    const scope = this.packages.scopeOf(from);
    const found =
      scope === undefined
        ? undefined
        : resolveImports(this.packages.in(scope)?.imports, specifier, this.#conditions[way]);
    if (scope === undefined || found?.kind !== 'target')
      return missing(`it under \`imports\` of the package’s own package.json`);
    if (found.target.startsWith('./')) return this.#target(found, scope, specifier);
    return this.#resolve(found.target, joinPath(scope, 'package.json'), way);
  }

  #bare(specifier: string, from: string, way: Way): Resolved {
    const [, name = '', rest = ''] = /^((?:@[^/]+\/)?[^/]+)(.*)$/.exec(specifier) ?? [];
    const subpath = rest === '' ? '.' : `.${rest}`;
    const self = this.#self(name, from);
    if (self !== undefined)
      return this.#target(resolveExports(self.exports, subpath, this.#conditions[way]), self.folder, specifier);
    for (let folder = folderOf(from); ; folder = folderOf(folder)) {
      const found = folder.endsWith('node_modules')
        ? undefined
        : this.#inPackage(joinPath(folder, `node_modules/${name}`), subpath, specifier, way);
      if (found !== undefined) return found;
      if (folder === '') return missing('a package of that name');
    }
  }

  /** LOAD_PACKAGE_SELF: the package that a file belongs to, where it is called so and says what others may import. */
  #self(name: string, from: string): { readonly folder: string; readonly exports: unknown } | undefined {
    const folder = this.packages.scopeOf(from);
    const own = folder === undefined ? undefined : this.packages.in(folder);
    if (folder === undefined || own?.name !== name || own.exports === undefined) return undefined;
    return { folder, exports: own.exports };
  }

  /**
   * Patterns of the files that a pattern of a bare specifier leads to, such as `codecs/levels/*`.
   * @returns paths in the artifact with stars; undefined where there is no such package
   */
  filePatterns(pattern: string, from: string): string[] | undefined {
    const [, name = '', rest = ''] = /^((?:@[^/]+\/)?[^/]+)(.*)$/.exec(pattern) ?? [];
    const folder = this.#self(name, from)?.folder ?? this.packages.find(name, folderOf(from));
    if (folder === undefined) return undefined;
    const exports = this.packages.in(folder)?.exports;
    if (exports === undefined) return [joinPath(folder, rest.slice(1))];
    const wanted = `.${rest.replaceAll('*', ANY)}`;
    const targets = Object.values(this.#conditions).flatMap((conditions) => {
      const found = resolveExports(exports, wanted, conditions);
      return found.kind === 'target' ? [joinPath(folder, found.target.replaceAll(ANY, '*').slice(2))] : [];
    });
    return [...new Set(targets)];
  }

  #inPackage(folder: string, subpath: string, specifier: string, way: Way): Resolved | undefined {
    const described = this.packages.in(folder);
    if (described?.exports !== undefined)
      return this.#target(resolveExports(described.exports, subpath, this.#conditions[way]), folder, specifier);
    const path = settlePath(joinPath(folder, subpath)) ?? folder;
    if (way === 'require') {
      const found = this.#asCommonJs(path, subpath.endsWith('/'));
      // Folders above may have another copy that has it.
      return found === undefined ? undefined : { kind: 'file', path: found };
    }
    if (subpath === '.') {
      const found = this.#asFolder(folder);
      return found === undefined ? this.#nothingIn(described) : { kind: 'file', path: found };
    }
    if (this.#tree.isFile(path)) return { kind: 'file', path };
    const compiled = this.#likeTypeScript(path);
    if (compiled !== undefined) return { kind: 'file', path: compiled };
    const near = this.#asCommonJs(path, false);
    return near === undefined
      ? this.#nothingIn(described)
      : { kind: 'missing', why: 'a file, named with its ending', near };
  }

  /** Where there is no such package at all, folders above may have it. */
  #nothingIn(described: object | undefined): Resolved | undefined {
    return described === undefined ? undefined : missing('a file in that package');
  }

  #target(found: TargetResult, folder: string, specifier: string): Resolved {
    if (found.kind !== 'target')
      return missing(`\`${specifier}\` among what that package lets others import (\`exports\`)`);
    const path = found.target.startsWith('./') ? settlePath(joinPath(folder, decoded(found.target))) : undefined;
    if (path === undefined) return missing('a file inside that package');
    if (this.#tree.isFile(path)) return { kind: 'file', path };
    const compiled = this.#likeTypeScript(path);
    return compiled === undefined
      ? missing(`the file that \`exports\` of that package names, \`${found.target}\``)
      : { kind: 'file', path: compiled };
  }
}

function missing(why: string): Resolved {
  return { kind: 'missing', why };
}

function decoded(specifier: string): string {
  const plain = specifier.replace(/[?#].*$/s, '');
  try {
    return decodeURIComponent(plain);
  } catch {
    return plain;
  }
}
