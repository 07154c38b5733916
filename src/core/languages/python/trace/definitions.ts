/** What a module defines at its top, as far as reading tells. */
import { readsOf, type EventRead } from '../../../events';
import type { SyntaxNode } from '@lezer/common';
import { readImport } from './imports';
import { constant } from './literals';

export interface Parameters {
  /** How many positional arguments must and may be given; `most` is undefined for `*args`. */
  readonly least: number;
  readonly most?: number;
  /** Of those that may be given by position. */
  readonly names: readonly string[];
  /** Parameters that can only be given by name, and must be. */
  readonly namedOnly: readonly string[];
}

export type Member =
  | {
      readonly kind: 'function';
      readonly isAsync: boolean;
      readonly parameters: Parameters;
      readonly isDecorated: boolean;
      /** What it reads of its first parameter. */
      readonly reads: readonly EventRead[];
    }
  | { readonly kind: 'class' }
  /** A value that is no function for certain, in words: `a number`. */
  | { readonly kind: 'constant'; readonly what: string }
  | { readonly kind: 'value' }
  /** Taken from another module under another or the same name; '' for the module itself. */
  | { readonly kind: 'import'; readonly level: number; readonly module: string; readonly name: string };

/** A step from a value on: `["name"]`, `.get("name")`. */
const STEP =
  /\[\s*(?:'(?<single>[^'\\\n]+)'|"(?<double>[^"\\\n]+)")\s*\]|\.get\(\s*(?:'(?<got>[^'\\\n]+)'|"(?<taken>[^"\\\n]+)")[^()\n]*\)/y;

interface Definitions {
  readonly members: Record<string, Member>;
  readonly all?: readonly string[];
}

/** Names that a module has at its top, and how it comes by them. */
export function readDefinitions(top: SyntaxNode, source: string): Definitions {
  const reader = new DefinitionReader(source);
  reader.block(top);
  return { members: Object.fromEntries(reader.members), ...(reader.all !== undefined && { all: reader.all }) };
}

const CONSTANTS: Readonly<Record<string, string>> = {
  Number: 'a number',
  String: 'a text',
  FormatString: 'a text',
  None: 'None',
  Boolean: 'a truth value',
  ArrayExpression: 'a list',
  DictionaryExpression: 'a dictionary',
  SetExpression: 'a set',
  TupleExpression: 'a tuple',
};

class DefinitionReader {
  readonly members = new Map<string, Member>();
  all: string[] | undefined;
  readonly #source: string;

  constructor(source: string) {
    this.#source = source;
  }

  /** Blocks of `if`, `try` and `with` at the top of a module define names of the module too. */
  block(node: SyntaxNode): void {
    for (let child = node.firstChild; child !== null; child = child.nextSibling) this.#statement(child, false);
  }

  #statement(node: SyntaxNode, isDecorated: boolean): void {
    switch (node.name) {
      case 'FunctionDefinition':
        this.#function(node, isDecorated);
        break;
      case 'ClassDefinition':
        this.members.set(this.#nameOf(node), { kind: 'class' });
        break;
      case 'DecoratedStatement':
        for (let child = node.firstChild; child !== null; child = child.nextSibling)
          if (child.name !== 'Decorator') this.#statement(child, true);
        break;
      case 'AssignStatement':
      case 'UpdateStatement':
        this.#assignment(node);
        break;
      case 'ImportStatement':
        this.#import(node);
        break;
      case 'IfStatement':
      case 'TryStatement':
      case 'WithStatement':
      case 'StatementGroup':
      case 'Body':
        this.block(node);
        break;
      default:
    }
  }

  #function(node: SyntaxNode, isDecorated: boolean): void {
    const list = node.getChild('ParamList');
    const parameters = readParameters(list === null ? '()' : this.#text(list));
    const isAsync = node.getChild('async') !== null;
    const reads = readsOf(this.#text(node), parameters.names[0] ?? '\0', STEP);
    this.members.set(this.#nameOf(node), { kind: 'function', isAsync, parameters, isDecorated, reads });
  }

  #assignment(node: SyntaxNode): void {
    const operators = [...node.getChildren('AssignOp'), ...node.getChildren('UpdateOp')];
    const value = operators.at(-1)?.nextSibling ?? null;
    for (let child = node.firstChild; child !== null && child !== value; child = child.nextSibling) {
      if (child.name !== 'VariableName') continue;
      const name = this.#text(child);
      if (name === '__all__') this.#noteAll(node, value);
      this.members.set(name, value === null ? { kind: 'value' } : this.#memberFor(value));
    }
  }

  #memberFor(value: SyntaxNode): Member {
    if (value.name === 'LambdaExpression') {
      const list = value.getChild('ParamList');
      const parameters = readParameters(list === null ? '()' : `(${this.#text(list)})`);
      const reads = readsOf(this.#text(value), parameters.names[0] ?? '\0', STEP);
      return { kind: 'function', isAsync: false, parameters, isDecorated: false, reads };
    }
    if (value.name === 'VariableName') return this.members.get(this.#text(value)) ?? { kind: 'value' };
    const what = CONSTANTS[value.name];
    return what === undefined ? { kind: 'value' } : { kind: 'constant', what };
  }

  /** `__all__ = ["a"]` and `__all__ += ["b"]`. */
  #noteAll(node: SyntaxNode, value: SyntaxNode | null): void {
    const texts = value === null ? [] : [...value.getChildren('String')].map((one) => constant(this.#text(one)) ?? '');
    const names = texts.filter((name) => name !== '');
    this.all = node.name === 'UpdateStatement' ? [...(this.all ?? []), ...names] : names;
  }

  #import(node: SyntaxNode): void {
    const text = this.#text(node)
      .replace(/#.*$/gm, '')
      .replace(/\\\r?\n/g, ' ')
      .replace(/\s+/g, ' ');
    const aliases = new Map(
      [...text.matchAll(/(?<![\w.])([\w.]+) as (\w+)/g)].map(([, name = '', alias = '']) => [name, alias]),
    );
    for (const { level, module, names } of readImport(text)) {
      if (names === '*') continue;
      if (names === undefined) {
        const alias = aliases.get(module);
        const name = alias ?? module.split('.')[0] ?? module;
        this.members.set(name, { kind: 'import', level, module: alias === undefined ? name : module, name: '' });
      } else
        for (const name of names) this.members.set(aliases.get(name) ?? name, { kind: 'import', level, module, name });
    }
  }

  #nameOf(node: SyntaxNode): string {
    const name = node.getChild('VariableName');
    return name === null ? '' : this.#text(name);
  }

  #text(node: SyntaxNode): string {
    return this.#source.slice(node.from, node.to);
  }
}

/** `(event, context=None, *, deep)`: at least one, at most two, and `deep` by name. */
export function readParameters(list: string): Parameters {
  const inside = list
    .replace(/#.*$/gm, '')
    .trim()
    .replace(/^\(|\)$/g, '');
  let [least, most]: [number, number | undefined] = [0, 0];
  let byNameOnly = false;
  const namedOnly: string[] = [];
  const names: string[] = [];
  for (const part of splitTopLevel(inside)) {
    const text = part.trim();
    if (text === '' || text === '/' || text.startsWith('**')) continue;
    if (text.startsWith('*')) {
      byNameOnly = true;
      if (text !== '*') most = undefined;
      continue;
    }
    const hasDefault = /^[^=]*[^=!<>:]=(?!=)/.test(text.replace(/:[^=]*(?==)/, ''));
    if (byNameOnly) {
      if (!hasDefault) namedOnly.push(nameIn(text));
    } else {
      names.push(nameIn(text));
      if (most !== undefined) most += 1;
      if (!hasDefault) least += 1;
    }
  }
  return { least, ...(most !== undefined && { most }), names, namedOnly };
}

function nameIn(parameter: string): string {
  return /^\w+/.exec(parameter)?.[0] ?? parameter;
}

/** Parts between commas that stand in no brackets and no quotes. */
function splitTopLevel(text: string): string[] {
  const parts: string[] = [''];
  let depth = 0;
  for (const [token] of text.matchAll(/'(?:[^'\\]|\\.)*'|"(?:[^"\\]|\\.)*"|[\s\S]/g)) {
    if ('([{'.includes(token)) depth += 1;
    if (')]}'.includes(token)) depth -= 1;
    if (token === ',' && depth === 0) parts.push('');
    else parts.push(`${parts.pop() ?? ''}${token}`);
  }
  return parts;
}
