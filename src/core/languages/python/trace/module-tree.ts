/** The modules among a set of files, as Python's importer would find them from the top folder. */
import { folderOf } from '../../../base/paths';

/** `levels.cpython-311-aarch64-linux-gnu.so`, `levels.abi3.so` and `levels.so` are all the module `levels`. */
const EXTENSION_MODULE = /^([A-Za-z_]\w*)(?:\.[\w-]+)?\.so$/;
const IDENTIFIER = /^[A-Za-z_]\w*$/;

export class ModuleTree {
  readonly #byName = new Map<string, string>();
  readonly #packages = new Set<string>();

  /** @param paths paths of all files */
  constructor(paths: Iterable<string>) {
    for (const path of paths) {
      const name = moduleName(path);
      if (name === undefined) continue;
      const before = this.#byName.get(name);
      // A package comes before a module, an extension module before a source file (the finders' order).
      if (before === undefined || rank(path) < rank(before)) this.#byName.set(name, path);
      for (let folder = folderOf(path); folder !== ''; folder = folderOf(folder))
        this.#packages.add(folder.replaceAll('/', '.'));
    }
  }

  /** The file of a module or of a package's `__init__`; undefined where there is none. */
  fileOf(name: string): string | undefined {
    return this.#byName.get(name);
  }

  /** Whether a name is a module, a package, or a package without `__init__`. */
  has(name: string): boolean {
    return this.#byName.has(name) || this.#packages.has(name);
  }

  /** Names of modules that begin so. */
  *beginningWith(prefix: string): Iterable<string> {
    for (const name of this.#byName.keys()) if (name.startsWith(prefix)) yield name;
  }

  /** The longest module or package that a text begins with: in compiled code other texts may follow at once. */
  longestIn(text: string): string | undefined {
    for (let end = text.length; end > 0; end -= 1) if (this.has(text.slice(0, end))) return text.slice(0, end);
    return undefined;
  }

  /** The files that importing a name runs, outermost package first. */
  filesFor(name: string): string[] {
    const parts = name.split('.');
    return parts.flatMap((_, i) => this.fileOf(parts.slice(0, i + 1).join('.')) ?? []);
  }
}

/** `a/b/__init__.py` is `a.b`; undefined for what cannot be imported. */
export function moduleName(path: string): string | undefined {
  const parts = path.split('/');
  const file = parts.pop() ?? '';
  if (!parts.every((part) => IDENTIFIER.test(part))) return undefined;
  const [, extension] = EXTENSION_MODULE.exec(file) ?? [];
  const stem = extension ?? (file.endsWith('.py') ? file.slice(0, -3) : undefined);
  if (stem === undefined || !IDENTIFIER.test(stem)) return undefined;
  return stem === '__init__' ? parts.join('.') || undefined : [...parts, stem].join('.');
}

/** The name that relative imports in a file start from: the package itself for `__init__`, else the one around it. */
export function packageOf(path: string): string {
  return folderOf(path).replaceAll('/', '.');
}

/** `levels` and two dots in `a.b` is `a.levels`; undefined where it leaves the top. */
export function absoluteName(from: string, level: number, module: string): string | undefined {
  if (level === 0) return withoutInit(module);
  const parts = from === '' ? [] : from.split('.');
  if (level - 1 > parts.length || (parts.length === 0 && level > 0)) return undefined;
  const base = parts.slice(0, parts.length - (level - 1));
  return withoutInit([...base, ...(module === '' ? [] : [module])].join('.'));
}

/** A package may be named by the file that it is made of: `from .__init__ import tide`. */
function withoutInit(name: string): string {
  return name.replace(/\.__init__$/, '');
}

function rank(path: string): number {
  return path.endsWith('/__init__.py') ? 0 : path.endsWith('.so') ? 1 : 2;
}
