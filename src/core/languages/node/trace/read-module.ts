/** Reads one JavaScript module for its facts. Nothing is ever run. */
import { parse as parseCommonJsNames } from 'cjs-module-lexer';
import { parse, type AnyNode, type Program } from 'acorn';
import { Lines } from '../../../base/lines';
import { formatSize } from '../../../base/units';
import { EsmReader } from './esm-reader';
import { NO_FACTS, type ModuleFacts } from './facts';
import { RequestReader } from './request-reader';
import { SettingsReader } from './settings-reader';
import { newSyntaxOf } from './new-syntax';
import { Walker } from './walker';

/** A text larger than this is not parsed: that takes a hundred times its size in memory. */
const MAX_CODE_UNITS = 12 * 1024 * 1024;
const MAX_SHOWN_LINE = 160;

/** @param format undefined for a file that may be either: CommonJS is tried first, as Node.js does */
export function readModuleFacts(code: string, format: 'esm' | 'cjs' | undefined): ModuleFacts {
  if (code.length > MAX_CODE_UNITS) {
    const what = `a file of ${formatSize(code.length)}, too big to be read`;
    return { format: format ?? 'cjs', ...NO_FACTS, unseen: [{ line: 1, what }] };
  }
  if (code.includes('\0'))
    return {
      format: format ?? 'cjs',
      ...NO_FACTS,
      fault: { line: 1, column: 1, message: 'binary data, no code', text: '' },
    };
  const first = parseAs(code, format ?? 'cjs');
  const parsed = 'fault' in first && format === undefined ? parseAs(code, 'esm') : first;
  const used = parsed === first ? (format ?? 'cjs') : 'esm';
  // What is neither is told as what it was taken for first.
  if ('fault' in parsed) {
    const { fault } = 'fault' in first && !/^\s*(?:import|export)\b/m.test(code) ? first : parsed;
    return { format: used, ...NO_FACTS, fault };
  }
  return new ModuleReader(code, used, parsed.program).read();
}

const SHORTEST_NAME = 2;
const LONGEST_NAME = 100;
/** `ejs`, `@fernhaven/tides/levels`, `./levels.js`. */
const MAY_BE_NAME = /^(?:\.{1,2}\/)?(?:@[\w.~-]+\/)?[\w~-][\w.~-]*(?:\/[\w.@~-]+)*$/;

class ModuleReader {
  readonly #code: string;
  readonly #format: 'esm' | 'cjs';
  readonly #program: Program;
  readonly #lines: Lines;
  readonly #requests: RequestReader;
  readonly #settings: SettingsReader;
  readonly #metas: number[] = [];
  readonly #texts = new Set<string>();
  readonly #syntax = new Map<string, { line: number; since: number; what: string }>();

  constructor(code: string, format: 'esm' | 'cjs', program: Program) {
    this.#code = code;
    this.#format = format;
    this.#program = program;
    this.#lines = new Lines(code);
    const lineAt = (at: number): number => this.#lineAt(at);
    this.#requests = new RequestReader(code, format, lineAt);
    this.#settings = new SettingsReader(code, lineAt);
  }

  #lineAt(at: number): number {
    return this.#lines.placeOf(at).line + 1;
  }

  read(): ModuleFacts {
    const walker = new Walker((node, walker) => this.#enter(node, walker), this.#format === 'cjs');
    const esm = this.#format === 'esm' ? new EsmReader(this.#code, walker) : undefined;
    for (const [i, statement] of this.#program.body.entries()) {
      walker.statement = i;
      if (esm === undefined) walker.visit(statement);
      else esm.statement(statement);
    }
    const requests = [
      ...(esm?.requests.map(({ at, ...one }) => ({ ...one, line: this.#lineAt(at) })) ?? []),
      ...this.#requests.finish(walker),
    ];
    const { unseen, dynamicImports } = this.#requests;
    return {
      format: this.#format,
      requests,
      unseen,
      settings: this.#settings.found,
      syntax: [...this.#syntax.values()],
      texts: [...this.#texts],
      dynamicImports: esm === undefined ? dynamicImports : [],
      ...(esm === undefined && { cjs: commonJsNames(this.#code) }),
      ...(esm !== undefined && { esm: esm.finish(dynamicImports, this.#metas) }),
    };
  }

  #enter(node: AnyNode, walker: Walker): boolean {
    if (node.type === 'MetaProperty' && node.meta.name === 'import') this.#metas.push(node.start);
    if (node.type === 'Literal' && typeof node.value === 'string') this.#noteText(node.value);
    const since = newSyntaxOf(node);
    if (since !== undefined && !this.#syntax.has(since[1]))
      this.#syntax.set(since[1], { line: this.#lineAt(node.start), since: since[0], what: since[1] });
    return this.#settings.enter(node, walker, this.#requests.values) || this.#requests.enter(node, walker);
  }

  #noteText(text: string): void {
    if (text.length >= SHORTEST_NAME && text.length <= LONGEST_NAME && MAY_BE_NAME.test(text)) this.#texts.add(text);
  }
}

/** What an ES module sees of a CommonJS one, as Node.js finds it out. */
function commonJsNames(code: string): { exports: string[]; reexports: string[] } {
  try {
    const { exports, reexports } = parseCommonJsNames(code);
    return { exports: [...new Set(exports)], reexports: [...new Set(reexports)] };
  } catch {
    // Node.js then sees the default export only.
    return { exports: [], reexports: [] };
  }
}

function parseAs(
  code: string,
  format: 'esm' | 'cjs',
): { program: Program } | { fault: NonNullable<ModuleFacts['fault']> } {
  try {
    const program = parse(code, {
      ecmaVersion: 'latest',
      sourceType: format === 'esm' ? 'module' : 'script',
      allowReturnOutsideFunction: format === 'cjs',
      allowHashBang: true,
    });
    return { program };
  } catch (error) {
    if (!(error instanceof SyntaxError)) throw error;
    // In the parser's words, since its stack ended there.
    if (error.message.startsWith('Not enough stack space')) throw new RangeError(error.message, { cause: error });
    const { loc } = error as SyntaxError & { loc?: { line: number; column: number } };
    const line = loc?.line ?? 1;
    const text = (code.split('\n', line)[line - 1] ?? '').trimEnd().slice(0, MAX_SHOWN_LINE);
    const message = error.message.replace(/ \(\d+:\d+\)$/, '');
    return { fault: { line, column: (loc?.column ?? 0) + 1, message, text } };
  }
}
