/** Modules of a repository as a survey reads them: by text alone where that is enough, parsed where it is not. */
import { folderOf, joinPath, settlePath } from '../../../base/paths';
import { lineAt, type SurveyedSetting, type SurveyRequest } from '../../surveying';
import { isCompiled } from '../compile/settings';
import { readModule, type Exported } from '../view/module-exports';
import { isBuiltin } from '../resolve/builtins';
import { readModuleJob } from '../trace/threads/module-job';
import { mainSource, type FoundManifest } from './manifests';

const ASKS = /(?:\bfrom\s*|\bimport\s*\(?\s*|\brequire\s*\(\s*)(['"])([^'"\n]+)\1/g;
const ENDINGS = ['', '.ts', '.mts', '.cts', '.tsx', '.js', '.mjs', '.cjs', '.jsx'];

const MOST_KEPT = 2000;

export class Modules {
  readonly #request: SurveyRequest;
  readonly #named: ReadonlyMap<string, FoundManifest>;

  readonly #compiled = new Map<string, string>();

  /** @param named folders of the repository by the names they are imported by */
  constructor(request: SurveyRequest, named: ReadonlyMap<string, FoundManifest>) {
    this.#request = request;
    this.#named = named;
  }

  /** JavaScript of a module; undefined where there is none, or it cannot be compiled. */
  code(path: string): string | undefined {
    const text = this.#request.tree.text(path);
    if (text === undefined || !isCompiled(path)) return text;
    const known = this.#compiled.get(path);
    if (known !== undefined) return known;
    const compile = { compiler: {}, target: 'ES2023', sourcemap: false };
    const { code, facts } = readModuleJob({ path, text, format: 'esm', compile });
    if (facts.fault !== undefined || code === undefined) return undefined;
    if (this.#compiled.size < MOST_KEPT) this.#compiled.set(path, code);
    return code;
  }

  /** What it exports, by name; undefined where it cannot be read. */
  exports(path: string): ReadonlyMap<string, Exported> | undefined {
    const code = this.code(path);
    const reading = code === undefined ? undefined : readModule(code, undefined);
    return reading?.kind === 'read' ? reading.exports.members : undefined;
  }

  /** What it asks for, by its text: files of the repository, and names of packages that are not in it. */
  asks(path: string): { readonly files: readonly string[]; readonly packages: readonly string[] } {
    const text = this.#request.tree.text(path) ?? '';
    const files: string[] = [];
    const packages: string[] = [];
    for (const [, , specifier = ''] of text.matchAll(ASKS)) {
      const file = this.resolve(path, specifier);
      if (file !== undefined) files.push(file);
      else if (!/^[./#]/.test(specifier) && !isBuiltin(specifier)) packages.push(packageOf(specifier));
    }
    return { files, packages };
  }

  /** The file that a module means; undefined where it is not in the repository. */
  resolve(from: string, specifier: string): string | undefined {
    if (specifier.startsWith('.')) return this.#fileAt(settlePath(joinPath(folderOf(from), specifier)));
    const manifest = this.#named.get(packageOf(specifier));
    if (manifest === undefined) return undefined;
    const inside = specifier.slice((manifest.name ?? '').length + 1);
    if (inside !== '') return this.#fileAt(joinPath(manifest.folder, inside));
    return mainSource(this.#request, manifest) ?? this.#fileAt(joinPath(manifest.folder, 'src'));
  }

  #fileAt(path: string | undefined): string | undefined {
    if (path === undefined) return undefined;
    const bases = [path, path.replace(/\.([cm]?)jsx?$/, '')];
    const all = bases.flatMap((base) => ENDINGS.map((ending) => base + ending));
    const inFolder = ENDINGS.slice(1).map((ending) => `${path}/index${ending}`);
    return [...all, ...inFolder].find((one) => this.#request.tree.has(one));
  }

  settings(path: string): SurveyedSetting[] {
    const text = this.#request.tree.text(path);
    if (text?.includes('env') !== true) return [];
    const code = this.code(path);
    if (code === undefined) return [];
    return readModuleJob({ path, text: code, format: undefined }).facts.settings.map(({ name, line, hasDefault }) => ({
      name,
      file: path,
      hasDefault,
      // Compiling moves lines.
      line: code === text ? line : lineAt(text, text.indexOf(name)),
    }));
  }
}

function packageOf(specifier: string): string {
  return specifier.split('/', specifier.startsWith('@') ? 2 : 1).join('/');
}
