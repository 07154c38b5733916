/** One module as a part of the linked file. */
import type { ModuleFacts } from '../trace/facts';
import { EsmEmitter, freeName, quoted, table } from './emit-esm';
import { Output, SourceText } from './output';
import type { Part } from './parts';
import type { EsmPlan } from './plan-esm';

export interface CommonJsPlan {
  readonly kind: 'cjs';
  readonly id: string;
  readonly path: string;
  /** What it may ask for, by specifier. */
  readonly links: readonly (readonly [specifier: string, id: string])[];
  /** Names that ES modules see of it. */
  readonly names: readonly string[];
  /** Whether patterns of it lead to modules. */
  readonly hasMatches: boolean;
}

export interface JsonPlan {
  readonly kind: 'json';
  readonly id: string;
  readonly path: string;
}

/** All that a module's part depends on besides its own text. */
export type SectionPlan = EsmPlan | CommonJsPlan | JsonPlan;

/** A module's part, and which of the linked files it stands in. */
export interface PlacedPart {
  readonly file: number;
  readonly part: Part;
}

export interface Section extends PlacedPart {
  readonly plan: SectionPlan;
}

export interface SectionText {
  readonly facts: ModuleFacts;
  /** JavaScript, or JSON. */
  readonly text: string;
  /** Where it was compiled: its source map, JSON. */
  readonly map?: string | undefined;
  /** What source maps call it. */
  readonly name: string;
  /** What a person wrote. */
  readonly written: () => string;
}

/** The part of a linked file that a module becomes. */
export function sectionPart(plan: SectionPlan, text: SectionText, withMap: boolean): Part {
  const out = new Output(withMap);
  writeSection(out, plan, text);
  return out.part;
}

function writeSection(out: Output, plan: SectionPlan, { facts, text, map, name, written }: SectionText): void {
  out.raw(`\n// --- ${plan.path.replaceAll('\n', ' ')} ---\n`);
  if (plan.kind === 'json') {
    out.raw(
      `cjs(${quoted(plan.id)}, '', {}, [], (exports, require, module) => {\nmodule.exports = ${jsonText(text)};\n});\n`,
    );
    return;
  }
  const source = new SourceText(name, text, map);
  out.source(name, written);
  if (plan.kind === 'cjs') writeCommonJs(out, plan, facts, source);
  else if (facts.esm !== undefined) new EsmEmitter(plan, facts.esm, source).emit(out);
}

function writeCommonJs(out: Output, plan: CommonJsPlan, facts: ModuleFacts, source: SourceText): void {
  const { id, path, links, names, hasMatches } = plan;
  const handle = facts.dynamicImports.length > 0 ? freeName('link', source.text) : undefined;
  const usesPlace = hasMatches || links.length > 0 || /__dirname|__filename|\bmodule\b|\brequire\b/.test(source.text);
  const params = `exports, require, module, __filename, __dirname${handle === undefined ? '' : `, ${handle}`}`;
  out.raw(
    `cjs(${quoted(id)}, ${quoted(usesPlace ? path : '')}, ${table(new Map(links))}, [${names.map(quoted).join(', ')}], function (${params}) {\n`,
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

/** Whether a path is of JSON, by its ending. */
export function isJson(path: string): boolean {
  return path.endsWith('.json');
}

/** JSON is an expression of JavaScript, but for a key that would set a prototype. */
function jsonText(text: string): string {
  const plain = text.replace(/^\ufeff/, '').trim();
  return plain.includes('__proto__') ? `JSON.parse(${quoted(plain)})` : plain;
}
