/** Joins modules into one file, which runs them as Node.js would have run them one by one. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { baseOf } from '../../../base/paths';
import type { Sourcemap } from '../own';
import { withMap } from '../assemble/emit-files';
import type { ModulePool } from '../trace/threads/module-pool';
import type { PackageFiles } from '../resolve/tree';
import { quoted } from './emit-esm';
import { circularModules, runningOrder } from './order';
import { joinParts, type Frame, type Part } from './parts';
import { planEsModule } from './plan-esm';
import { isJson, sectionPart, type CommonJsPlan, type PlacedPart, type Section, type SectionPlan } from './section';
import { Shaker, type LinkModule } from './shake';
import { smallFrame } from './small';

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
  /** Makes parts small, with all cores. */
  readonly pool: ModulePool;
}

export interface LinkedFile {
  /** Path in the artifact. */
  readonly path: string;
  readonly text: string;
}

export interface Linked {
  /** The first is the one that the host loads. */
  readonly frames: readonly Frame[];
  /** Modules whose code is in them, in the order in which they run. */
  readonly modules: readonly string[];
  readonly sections: readonly Section[];
}

/** @throws EmballageError MODULE_INVALID when a module imports what another does not export */
export async function linkModules(request: LinkRequest): Promise<Linked> {
  const shaker = new Shaker(request.modules, request.packages);
  shaker.run(request.entry, [request.member]);
  const order = runningOrder(request.modules, (path) => shaker.live.has(path), request.entry);
  const isEsm = order.some(({ facts }) => facts.esm?.hasTopAwait === true) || order.some(importsFile);
  const writer = new Writer(request, shaker, order, isEsm);
  const frames = writer.write();
  const { sections } = writer;
  const small = request.minify ? await request.pool.small(sections.map(({ part }) => part)) : undefined;
  return {
    frames,
    modules: order.map(({ path }) => path),
    sections: sections.map((one, i) => ({ ...one, part: small?.[i] ?? one.part })),
  };
}

/** The linked files, each followed by its source map where that stands beside it. */
export function linkedFiles(
  frames: readonly Frame[],
  sections: readonly PlacedPart[],
  sourcemap: Sourcemap,
): LinkedFile[] {
  return frames.flatMap(({ path, head, foot }, file) => {
    const own = sections.filter((one) => one.file === file).map(({ part }) => part);
    const parts: Part[] = [{ text: head }, ...own, { text: foot }];
    const { text, map } = withMap(joinParts(parts, sourcemap !== 'none'), path, sourcemap);
    return [{ path, text }, ...(map === undefined ? [] : [{ path: `${path}.map`, text: map }])];
  });
}

/** Only an ES module can import one that stays a file, before it runs itself. */
function importsFile({ statics, links }: LinkModule): boolean {
  return statics.some((specifier) => {
    const link = links.get(specifier);
    return link?.kind === 'host' && link.isEsm;
  });
}

/** ES modules have none of these, whatever file they stand in. */
const NAMES_OF_COMMONJS = 'var exports, require, module, __filename, __dirname;\n';

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

  write(): Frame[] {
    // Code that is not strict stays so only outside ES modules.
    const beside = this.#order.filter(({ facts, path }) => this.#isEsm && facts.esm === undefined && !isJson(path));
    const companion = `${this.#stem}.modules.cjs`;
    for (const module of this.#order) this.#section(module, beside.includes(module) ? 1 : 0);
    const path = `${this.#stem}.${this.#isEsm ? 'mjs' : 'cjs'}`;
    const main = { path, ...this.#mainFrame(beside.length > 0 ? companion : undefined) };
    return beside.length === 0 ? [main] : [main, { path: companion, ...this.#companionFrame() }];
  }

  #companionFrame(): Pick<Frame, 'head' | 'foot'> {
    if (this.#request.minify) return { head: 'module.exports=cjs=>{\n', foot: '};\n' };
    return { head: 'module.exports = (cjs) => {\n', foot: '};\n' };
  }

  #mainFrame(companion: string | undefined): Pick<Frame, 'head' | 'foot'> {
    const undefinedHere = this.#isEsm ? '' : NAMES_OF_COMMONJS;
    if (!this.#request.minify) return { head: this.#head(companion, undefinedHere), foot: this.#foot() };
    // That these are declared is what the modules need; to who makes the frame small nothing seems to use them.
    const { head, foot } = smallFrame(this.#head(companion, ''), this.#foot(), this.#isEsm);
    return { head: head + undefinedHere, foot };
  }

  #head(companion: string | undefined, undefinedHere: string): string {
    const up = './' + '../'.repeat(this.#stem.split('/').length - 1);
    const prelude = readFileSync(join(__dirname, 'prelude.js'), 'utf8');
    const other = companion === undefined ? '' : `place.require(${quoted(`./${baseOf(companion)}`)})(cjs);\n`;
    if (!this.#isEsm) {
      this.#placeText = `url: require('node:url').pathToFileURL(__filename).href, up: ${quoted(up)}, separator: require('node:path').sep, toPath: require('node:url').fileURLToPath, require, import: (id) => import(id), resolve: (id) => (require('node:module').isBuiltin(id) ? 'node:' + id.replace('node:', '') : require('node:url').pathToFileURL(require.resolve(id)).href), imported: {}`;
      return `const entry_ = (function (place) {\n${undefinedHere}${prelude}${other}`;
    }
    const imported = this.#importedFiles();
    const imports = imported.map(
      (id, i) => `import * as file_${String(i)} from ${quoted(urlPath(up + id.slice(1)))};\n`,
    );
    const spaces = imported.map((id, i) => `${quoted(id)}: file_${String(i)}`).join(', ');
    this.#placeText = `url: import.meta.url, up: ${quoted(up)}, separator: sep, toPath: fileURLToPath, require: createRequire(import.meta.url), import: (id) => import(id), resolve: (id) => import.meta.resolve(id), imported: { ${spaces} }`;
    return (
      "import { createRequire } from 'node:module';\nimport { fileURLToPath } from 'node:url';\nimport { sep } from 'node:path';\n" +
      `${imports.join('')}const entry_ = await (function (place) {\n${prelude}${other}`
    );
  }

  #placeText = '';

  #foot(): string {
    const { entry, member } = this.#request;
    const isCommonJs = this.#request.modules.get(entry)?.facts.esm === undefined;
    const read = `entry_${isCommonJs && member !== 'default' ? '.default' : ''}.${member}`;
    const start = `return start(${quoted(this.#idOf(entry))});\n})({ ${this.#placeText} });\n`;
    if (!this.#isEsm) return `${start}exports.${member} = ${read};\n`;
    return `${start}${member === 'default' ? `export default ${read};\n` : `export const ${member} = ${read};\n`}`;
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

  #section(module: LinkModule, file: number): void {
    const { codeOf, mapOf, sourceName, writtenText, sourcemap } = this.#request;
    const { path, facts } = module;
    const plan = this.#planOf(module);
    const text = {
      facts,
      text: codeOf(path),
      map: mapOf(path),
      name: sourceName(path),
      written: () => writtenText(path),
    };
    this.sections.push({ plan, file, part: sectionPart(plan, text, sourcemap !== 'none') });
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

function urlPath(path: string): string {
  return path
    .split('/')
    .map((part) => (part === '.' || part === '..' ? part : encodeURIComponent(part)))
    .join('/');
}
