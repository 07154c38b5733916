/** Joins modules into one file, which runs them as Node.js would have run them one by one. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { baseOf } from '../../../base/paths';
import type { Sourcemap } from '../../../sheet';
import { withMap } from '../emit-files';
import type { PackageFiles } from '../resolve/tree';
import { EsmEmitter, freeName, quoted, table } from './emit-esm';
import { circularModules, runningOrder } from './order';
import { Output, SourceText } from './output';
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
  return { files, modules: order.map(({ path }) => path) };
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
    for (const module of this.#order) if (!beside.includes(module)) this.#module(main, module);
    this.#foot(main);
    yield { path: `${this.#stem}.${this.#isEsm ? 'mjs' : 'cjs'}`, output: main };
    if (beside.length === 0) return;
    const other = new Output(sourcemap !== 'none');
    other.raw('module.exports = (cjs) => {\n');
    for (const module of beside) this.#module(other, module);
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
      this.#placeText = `url: require('node:url').pathToFileURL(__filename).href, up: ${quoted(up)}, separator: require('node:path').sep, toPath: require('node:url').fileURLToPath, require, import: (id) => import(id), resolve: (id) => require('node:url').pathToFileURL(require.resolve(id)).href, imported: {}`;
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

  #module(out: Output, module: LinkModule): void {
    const { path, facts } = module;
    out.raw(`\n// --- ${path.replaceAll('\n', ' ')} ---\n`);
    const text = this.#request.codeOf(path);
    if (isJson(path)) {
      out.raw(
        `cjs(${quoted(this.#idOf(path))}, '', {}, [], (exports, require, module) => {\nmodule.exports = ${jsonText(text)};\n});\n`,
      );
      return;
    }
    const source = new SourceText(this.#request.sourceName(path), text, this.#request.mapOf(path));
    out.source(source.name, () => this.#request.writtenText(path));
    if (facts.esm === undefined) this.#commonJs(out, module, source);
    else
      new EsmEmitter(module, facts.esm, source, {
        shaker: this.#shaker,
        circular: this.#circular,
        idOf: (one) => this.#idOf(one),
      }).emit(out);
  }

  #commonJs(out: Output, { path, facts, links, dynamics, matches }: LinkModule, source: SourceText): void {
    const ids = new Map<string, string>();
    for (const specifier of dynamics) {
      const link = links.get(specifier);
      if (link !== undefined) ids.set(specifier, link.kind === 'host' ? link.id : this.#idOf(link.path));
    }
    const handle = facts.dynamicImports.length > 0 ? freeName('link', source.text) : undefined;
    const names = this.#imported.has(path) ? this.#shaker.commonJsNames(path) : [];
    const usesPlace =
      matches.length > 0 || ids.size > 0 || /__dirname|__filename|\bmodule\b|\brequire\b/.test(source.text);
    const params = `exports, require, module, __filename, __dirname${handle === undefined ? '' : `, ${handle}`}`;
    out.raw(
      `cjs(${quoted(this.#idOf(path))}, ${quoted(usesPlace ? path : '')}, ${table(ids)}, [${names.map(quoted).join(', ')}], function (${params}) {\n`,
    );
    const start = source.text.startsWith('#!') ? source.text.indexOf('\n') + 1 : 0;
    const edits = facts.dynamicImports.map((at) => ({
      start: at,
      end: at + 'import'.length,
      text: `${handle ?? ''}.import`,
    }));
    out.copy(source, start, source.text.length, edits);
    out.raw(source.text.endsWith('\n') ? '});\n' : '\n});\n');
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

function isJson(path: string): boolean {
  return path.endsWith('.json');
}

/** JSON is an expression of JavaScript, but for a key that would set a prototype. */
function jsonText(text: string): string {
  const plain = text.replace(/^\ufeff/, '').trim();
  return plain.includes('__proto__') ? `JSON.parse(${quoted(plain)})` : plain;
}

function urlPath(path: string): string {
  return path
    .split('/')
    .map((part) => (part === '.' || part === '..' ? part : encodeURIComponent(part)))
    .join('/');
}
