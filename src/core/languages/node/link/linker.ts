/** Joins modules into one file, which runs them as Node.js would have run them one by one. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { baseOf } from '../../../base/paths';
import type { Sourcemap } from '../own';
import { withMap } from '../emit-files';
import type { PackageFiles } from '../resolve/tree';
import { quoted } from './emit-esm';
import { circularModules, runningOrder } from './order';
import { Output } from './output';
import { planEsModule } from './plan-esm';
import { isJson, writeSection, type CommonJsPlan, type Section, type SectionPlan } from './section';
import { Shaker, type LinkModule } from './shake';

export interface LinkRequest {
  readonly modules: ReadonlyMap<string, LinkModule>;
  readonly packages: PackageFiles;
  readonly entry: string;
  readonly member: string;
  /** JavaScript of a module; of JSON its text. */
  readonly codeOf: (path: string) => string;
  /** The source map of a module that was compiled, JSON. */
  readonly mapOf: (path: string) => string | undefined;
  /** What a person wrote: the text before it was compiled. */
  readonly writtenText: (path: string) => string;
  /** What source maps call a module. */
  readonly sourceName: (path: string) => string;
  readonly minify: boolean;
  readonly sourcemap: Sourcemap;
}

export interface LinkedFile {
  /** Path in the artifact. */
  readonly path: string;
  readonly text: string;
}

export interface Linked {
  /** The first is the one that the host loads. */
  readonly files: readonly LinkedFile[];
  /** Modules whose code is in them, in the order in which they run. */
  readonly modules: readonly string[];
  /** Where each stands in them, as long as they are neither made small nor mapped. */
  readonly sections: readonly Section[];
}

/** @throws EmballageError MODULE_INVALID when a module imports what another does not export */
export async function linkModules(request: LinkRequest): Promise<Linked> {
  const shaker = new Shaker(request.modules, request.packages);
  shaker.run(request.entry, [request.member]);
  const order = runningOrder(request.modules, (path) => shaker.live.has(path), request.entry);
  const isEsm = order.some(({ facts }) => facts.esm?.hasTopAwait === true) || order.some(importsFile);
  const writer = new Writer(request, shaker, order, isEsm);
  const files: LinkedFile[] = [];
  for (const { path, output } of writer.write()) files.push(...(await finish(request, path, output, isEsm)));
  return { files, modules: order.map(({ path }) => path), sections: writer.sections };
}

/** Only an ES module can import one that stays a file, before it runs itself. */
function importsFile({ statics, links }: LinkModule): boolean {
  return statics.some((specifier) => {
    const link = links.get(specifier);
    return link?.kind === 'host' && link.isEsm;
  });
}

class Writer {
  readonly #request: LinkRequest;
  readonly #shaker: Shaker;
  readonly #order: readonly LinkModule[];
  readonly #isEsm: boolean;
  readonly #stem: string;
  readonly #circular: ReadonlySet<string>;
  /** Modules that patterns lead to are found by their paths. */
  readonly #matched: ReadonlySet<string>;
  /** Modules that an ES module imports, or anybody by `import(…)`. */
  readonly #imported: ReadonlySet<string>;
  readonly #serials = new Map<string, string>();
  readonly sections: Section[] = [];
  #fileIndex = 0;

  constructor(request: LinkRequest, shaker: Shaker, order: readonly LinkModule[], isEsm: boolean) {
    this.#request = request;
    this.#shaker = shaker;
    this.#order = order;
    this.#isEsm = isEsm;
    this.#stem = request.entry.replace(/\.[^./]+$/, '');
    const live = new Map(order.map((module) => [module.path, module]));
    this.#circular = circularModules(live);
    this.#matched = new Set(order.flatMap(({ matches }) => matches));
    const importers = order.filter(({ facts }) => facts.esm !== undefined || facts.dynamicImports.length > 0);
    const linked = importers.flatMap(({ links }) => [...links.values()]);
    this.#imported = new Set(linked.flatMap((link) => (link.kind === 'module' ? [link.path] : [])));
    for (const [i, { path }] of order.entries()) this.#serials.set(path, i.toString(36));
  }

  *write(): Generator<{ path: string; output: Output }> {
    const { sourcemap } = this.#request;
    const main = new Output(sourcemap !== 'none');
    // Code that is not strict stays so only outside ES modules.
    const beside = this.#order.filter(({ facts, path }) => this.#isEsm && facts.esm === undefined && !isJson(path));
    const companion = `${this.#stem}.modules.cjs`;
    this.#head(main, beside.length > 0 ? companion : undefined);
    for (const module of this.#order) if (!beside.includes(module)) this.#section(main, module);
    this.#foot(main);
    yield { path: `${this.#stem}.${this.#isEsm ? 'mjs' : 'cjs'}`, output: main };
    if (beside.length === 0) return;
    this.#fileIndex = 1;
    const other = new Output(sourcemap !== 'none');
    other.raw('module.exports = (cjs) => {\n');
    for (const module of beside) this.#section(other, module);
    other.raw('};\n');
    yield { path: companion, output: other };
  }

  #head(out: Output, companion: string | undefined): void {
    const up = './' + '../'.repeat(this.#stem.split('/').length - 1);
    const prelude = readFileSync(join(__dirname, 'prelude.js'), 'utf8');
    if (this.#isEsm) {
      const imported = this.#importedFiles();
      out.raw(
        "import { createRequire } from 'node:module';\nimport { fileURLToPath } from 'node:url';\nimport { sep } from 'node:path';\n",
      );
      imported.forEach((id, i) =>
        out.raw(`import * as file_${String(i)} from ${quoted(urlPath(up + id.slice(1)))};\n`),
      );
      const spaces = imported.map((id, i) => `${quoted(id)}: file_${String(i)}`).join(', ');
      out.raw(`const entry_ = await (function (place) {\n${prelude}`);
      this.#placeText = `url: import.meta.url, up: ${quoted(up)}, separator: sep, toPath: fileURLToPath, require: createRequire(import.meta.url), import: (id) => import(id), resolve: (id) => import.meta.resolve(id), imported: { ${spaces} }`;
    } else {
      out.raw(`const entry_ = (function (place) {\nvar exports, require, module, __filename, __dirname;\n${prelude}`);
      this.#placeText = `url: require('node:url').pathToFileURL(__filename).href, up: ${quoted(up)}, separator: require('node:path').sep, toPath: require('node:url').fileURLToPath, require, import: (id) => import(id), resolve: (id) => (require('node:module').isBuiltin(id) ? 'node:' + id.replace('node:', '') : require('node:url').pathToFileURL(require.resolve(id)).href), imported: {}`;
    }
    if (companion !== undefined) out.raw(`place.require(${quoted(`./${baseOf(companion)}`)})(cjs);\n`);
  }

  #placeText = '';

  #foot(out: Output): void {
    const { entry, member } = this.#request;
    const isCommonJs = this.#request.modules.get(entry)?.facts.esm === undefined;
    const read = `entry_${isCommonJs && member !== 'default' ? '.default' : ''}.${member}`;
    out.raw(`return start(${quoted(this.#idOf(entry))});\n})({ ${this.#placeText} });\n`);
    if (!this.#isEsm) out.raw(`exports.${member} = ${read};\n`);
    else out.raw(member === 'default' ? `export default ${read};\n` : `export const ${member} = ${read};\n`);
  }

  #importedFiles(): string[] {
    const ids = new Set<string>();
    for (const { statics, links } of this.#order)
      for (const specifier of statics) {
        const link = links.get(specifier);
        if (link?.kind === 'host' && link.isEsm) ids.add(link.id);
      }
    return [...ids];
  }

  #section(out: Output, module: LinkModule): void {
    const { codeOf, mapOf, sourceName, writtenText } = this.#request;
    const { path, facts } = module;
    const start = out.length;
    const plan = this.#planOf(module);
    writeSection(out, plan, {
      facts,
      text: codeOf(path),
      map: mapOf(path),
      name: sourceName(path),
      written: () => writtenText(path),
    });
    this.sections.push({ plan, file: this.#fileIndex, start, end: out.length });
  }

  #planOf(module: LinkModule): SectionPlan {
    const { path, facts } = module;
    const idOf = (one: string): string => this.#idOf(one);
    if (isJson(path)) return { kind: 'json', id: idOf(path), path };
    if (facts.esm === undefined) return this.#planCommonJs(module);
    return planEsModule(module, facts.esm, { shaker: this.#shaker, circular: this.#circular, idOf });
  }

  #planCommonJs({ path, links, dynamics, matches }: LinkModule): CommonJsPlan {
    const ids = new Map<string, string>();
    for (const specifier of dynamics) {
      const link = links.get(specifier);
      if (link !== undefined) ids.set(specifier, link.kind === 'host' ? link.id : this.#idOf(link.path));
    }
    const names = this.#imported.has(path) ? this.#shaker.commonJsNames(path) : [];
    return { kind: 'cjs', id: this.#idOf(path), path, links: [...ids], names, hasMatches: matches.length > 0 };
  }

  #idOf(path: string): string {
    if (!this.#request.minify || this.#matched.has(path)) return path;
    return this.#serials.get(path) ?? path;
  }
}

/** Makes the text small where that is wanted, and puts its source map where that goes. */
async function finish(request: LinkRequest, path: string, output: Output, isEsm: boolean): Promise<LinkedFile[]> {
  const isModule = isEsm && path.endsWith('.mjs');
  const small = request.minify ? await minified(output.text, output.map, isModule) : output;
  const { text, map } = withMap(small, path, request.sourcemap);
  return [{ path, text }, ...(map === undefined ? [] : [{ path: `${path}.map`, text: map }])];
}

async function minified(
  text: string,
  map: string | undefined,
  isModule: boolean,
): Promise<{ text: string; map: string | undefined }> {
  const { minify } = await import('terser');
  const result = await minify(text, {
    module: isModule,
    ecma: 2020,
    compress: { passes: 2 },
    mangle: true,
    // Names of classes are seen from outside: errors carry them.
    keep_classnames: true,
    format: { comments: /^!|@license|@preserve/i },
    ...(map !== undefined && { sourceMap: { content: map, includeSources: true } }),
  });
  const made = typeof result.map === 'string' ? result.map : undefined;
  return { text: `${result.code ?? ''}\n`, map: map === undefined ? undefined : made };
}

function urlPath(path: string): string {
  return path
    .split('/')
    .map((part) => (part === '.' || part === '..' ? part : encodeURIComponent(part)))
    .join('/');
}
