/** Requirements, `name[extra] >=1.2 ; marker` or `name @ url ; marker` (PEP 508, now dependency specifiers). */
import { ownOf } from '../../../base/own';
import { MARKER_NAMES, OLD_NAMES, normalizeName, type Marker, type MarkerOperator, type Operand } from './marker';
import { formatSpecifiers, parseSpecifiers, type Specifier } from './specifier';

export interface Requirement {
  /** Normalised. */
  readonly name: string;
  /** Normalised, sorted. */
  readonly extras: readonly string[];
  readonly specifiers: readonly Specifier[];
  readonly url?: string;
  readonly marker?: Marker;
  /** As it was written, spaces at the ends taken off. */
  readonly text: string;
}

export interface RequirementFault {
  /** Counting from 1, in the text given. */
  readonly column: number;
  readonly expected: string;
  readonly found: string;
}

export type RequirementReading =
  | { readonly kind: 'requirement'; readonly requirement: Requirement }
  | { readonly kind: 'fault'; readonly fault: RequirementFault };

/** A requirement (dependency specifiers). @returns the requirement, or where it is wrong */
export function parseRequirement(text: string): RequirementReading {
  try {
    return { kind: 'requirement', requirement: new Reader(text).requirement() };
  } catch (error) {
    if (error instanceof Fault) return { kind: 'fault', fault: error.fault };
    throw error;
  }
}

/** Name, extras and specifiers in one normal form: `name[a,b]>=1.2`. */
export function formatRequirement({ name, extras, specifiers, url }: Requirement): string {
  const extra = extras.length === 0 ? '' : `[${extras.join(',')}]`;
  return `${name}${extra}${url === undefined ? formatSpecifiers(specifiers) : ` @ ${url}`}`;
}

class Fault extends Error {
  readonly fault: RequirementFault;

  constructor(fault: RequirementFault) {
    super(fault.expected);
    this.fault = fault;
  }
}

const MAX_DEPTH = 50;

class Reader {
  readonly #text: string;
  #at = 0;
  #depth = 0;

  constructor(text: string) {
    this.#text = text;
  }

  requirement(): Requirement {
    this.#space();
    const name = this.#take(/[A-Za-z0-9](?:[A-Za-z0-9._-]*[A-Za-z0-9])?/y, 'the name of a package');
    this.#space();
    const extras = this.#extras();
    this.#space();
    const tail = this.#next('@') ? { url: this.#url(), specifiers: [] } : { specifiers: this.#specifiers() };
    this.#space();
    const marker = this.#next(';') ? this.#marker() : undefined;
    this.#space();
    if (this.#at < this.#text.length) this.#fail('`;` and a marker, or the end');
    return {
      name: normalizeName(name),
      extras: [...new Set(extras.map(normalizeName))].sort(),
      ...tail,
      ...(marker !== undefined && { marker }),
      text: this.#text.trim(),
    };
  }

  #extras(): string[] {
    if (!this.#next('[')) return [];
    const extras: string[] = [];
    this.#space();
    while (!this.#next(']')) {
      if (extras.length > 0 && !this.#next(',')) this.#fail('`,` or `]` after an extra');
      this.#space();
      extras.push(this.#take(/[A-Za-z0-9](?:[A-Za-z0-9._-]*[A-Za-z0-9])?/y, 'the name of an extra'));
      this.#space();
    }
    return extras;
  }

  #url(): string {
    this.#space();
    return this.#take(/\S+/y, 'a URL');
  }

  #specifiers(): readonly Specifier[] {
    const inParentheses = this.#next('(');
    const from = this.#at;
    const text = this.#match(inParentheses ? /[^)]*/y : /[^;]*/y) ?? '';
    const { specifiers, bad } = parseSpecifiers(text);
    if (bad !== undefined) {
      this.#at = from + text.indexOf(bad);
      this.#fail('a version specifier such as `>=1.2`');
    }
    if (inParentheses && !this.#next(')')) this.#fail('`)`');
    return specifiers;
  }

  #marker(): Marker {
    const parts = [this.#conjunction()];
    while (this.#word('or')) parts.push(this.#conjunction());
    const [only] = parts;
    return parts.length === 1 && only !== undefined ? only : { kind: 'or', parts };
  }

  #conjunction(): Marker {
    const parts = [this.#comparison()];
    while (this.#word('and')) parts.push(this.#comparison());
    const [only] = parts;
    return parts.length === 1 && only !== undefined ? only : { kind: 'and', parts };
  }

  #comparison(): Marker {
    this.#space();
    if (this.#next('(')) {
      if (++this.#depth > MAX_DEPTH) this.#fail(`at most ${String(MAX_DEPTH)} parentheses`);
      const inner = this.#marker();
      this.#space();
      if (!this.#next(')')) this.#fail('`)`, `and` or `or`');
      return inner;
    }
    const left = this.#operand();
    this.#space();
    const operator = this.#operator();
    this.#space();
    const right = this.#operand();
    return { kind: 'compare', left, operator, right };
  }

  #operator(): MarkerOperator {
    const text = this.#match(/===|~=|==|!=|<=|>=|<|>|not\s+in\b|in\b/y);
    if (text === undefined) return this.#fail('an operator such as `>=`, `==` or `in`');
    return text.startsWith('not') ? 'not in' : (text as MarkerOperator);
  }

  #operand(): Operand {
    const quoted = this.#match(/'[^']*'|"[^"]*"/y);
    if (quoted !== undefined) return { kind: 'text', text: quoted.slice(1, -1) };
    const from = this.#at;
    const word = this.#match(/[A-Za-z_][A-Za-z0-9_.]*/y) ?? '';
    const name = ownOf(OLD_NAMES, word) ?? word;
    if (name === 'extra' || MARKER_NAMES.some((known) => known === name)) return { kind: 'name', name };
    this.#at = from;
    return this.#fail('a marker name such as `python_version`, or a text in quotes');
  }

  #space(): void {
    this.#match(/\s*/y);
  }

  #next(text: string): boolean {
    if (!this.#text.startsWith(text, this.#at)) return false;
    this.#at += text.length;
    return true;
  }

  #word(word: string): boolean {
    this.#space();
    return this.#match(new RegExp(`${word}\\b`, 'y')) !== undefined;
  }

  #take(pattern: RegExp, expected: string): string {
    return this.#match(pattern) ?? this.#fail(expected);
  }

  #match(pattern: RegExp): string | undefined {
    pattern.lastIndex = this.#at;
    const [text] = pattern.exec(this.#text) ?? [];
    if (text !== undefined) this.#at += text.length;
    return text;
  }

  #fail(expected: string): never {
    const rest = this.#text.slice(this.#at, this.#at + 40);
    throw new Fault({ column: this.#at + 1, expected, found: rest === '' ? 'the end' : `\`${rest}\`` });
  }
}
