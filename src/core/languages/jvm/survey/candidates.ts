/** Which classes and methods a host could call: by Java source as text, or by class files. */
import { readFileSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { ACC, javaOfClassVersion, parameterTypes, readClass } from '../../../formats/classfile';
import { byPoints, cutAtCommas, inParentheses, rank, type EntryCandidate, type SurveyedTree } from '../../surveying';

const MAX_CLASS_BYTES = 1024 * 1024;
const METHOD =
  /\bpublic\s+((?:static\s+|final\s+|synchronized\s+|abstract\s+|native\s+)*)(?:<[^>(){}]*>\s*)?([\w.$]+(?:\s*<[^(){};=]*>)?(?:\s*\[\s*\])*)\s+(\w+)\s*\(/g;
const PRIMITIVE = /^(?:int|long|short|byte|char|boolean|float|double)$/;
const CONTEXT = /^(?:java\.util\.)?(?:Map\b|Object$)/;

export interface ClassFacts {
  /** With dots. */
  readonly name: string;
  readonly entries: readonly EntryCandidate[];
}

/** A public class of its own file: its entries; undefined where it is none, or no object of it can be made. */
export function sourceEntries(text: string, stem: string): ClassFacts | undefined {
  const code = plainCode(text);
  const [, pack] = /^\s*package\s+([\w.]+)\s*;/m.exec(code) ?? [];
  const head = new RegExp(
    `\\bpublic\\s+((?:final\\s+|abstract\\s+|sealed\\s+|non-sealed\\s+)*)(class|record|enum|interface)\\s+${stem}\\b`,
  ).exec(code);
  if (head === null || (head[1] ?? '').includes('abstract') || /enum|interface/.test(head[2] ?? '')) return undefined;
  const name = pack === undefined ? stem : `${pack}.${stem}`;
  const body = topOfClass(code, head.index);
  const constructors = [
    ...body.matchAll(new RegExp(`(?:^|[^\\w.])(?<!new\\s)${stem}\\s*\\(([^)]*)\\)\\s*(?:throws [\\w., ]+)?\\{`, 'g')),
  ];
  const canBeMade =
    head[2] !== 'record' && (constructors.length === 0 || constructors.some(([, list]) => list?.trim() === ''));
  const methods = [...body.matchAll(METHOD)].flatMap((match): EntryCandidate[] => {
    const [whole, modifiers = '', , member = ''] = match;
    if (/abstract|native/.test(modifiers) || (!canBeMade && !modifiers.includes('static'))) return [];
    const list = inParentheses(body, match.index + whole.length - 1);
    const found = list === undefined ? undefined : ranked(member, cutAtCommas(list).map(parameterOf), name);
    return found === undefined ? [] : [found];
  });
  return {
    name,
    entries: byPoints(methods.filter((one) => methods.filter(({ entry }) => entry === one.entry).length === 1)),
  };
}

interface Parameter {
  readonly type: string;
  readonly name: string;
}

function parameterOf(text: string): Parameter {
  const words = text
    .replace(/@[\w.]+(?:\([^)]*\))?/g, '')
    .replace(/\bfinal\b/g, '')
    .trim();
  const [, type = '', name = ''] = /^([\s\S]*?)\s*\b(\w+)$/.exec(words) ?? [];
  return { type: type.trim(), name };
}

/** Undefined where the host could not give what it takes. */
function ranked(member: string, parameters: readonly Parameter[], className: string): EntryCandidate | undefined {
  const [first, second, third] = parameters;
  if (first === undefined || third !== undefined || PRIMITIVE.test(first.type)) return undefined;
  if (first.type.endsWith('InputStream') && (second?.type ?? '').endsWith('OutputStream'))
    return { entry: `${className}#${member}`, why: 'takes the event as a stream', points: 6 };
  if (second !== undefined && !CONTEXT.test(second.type)) return undefined;
  const simple = className.slice(className.lastIndexOf('.') + 1);
  // A type that is called an event says as much as a parameter that is.
  const isEvent = /(?:^|\.)\w*Event(?:<.*>)?$/.test(first.type);
  const names = [isEvent ? 'event' : first.name, ...(second === undefined ? [] : ['context'])];
  const { points, why } = rank({ member, parameters: names, stem: simple, folder: '' });
  return points > 0 ? { entry: `${className}#${member}`, why, points } : undefined;
}

/** Code without comments and without what is in texts; lines stay. */
export function plainCode(text: string): string {
  const parts = /\/\/[^\n]*|\/\*[\s\S]*?\*\/|"""[\s\S]*?"""|"(?:\\.|[^"\\\n])*"|'(?:\\.[^']{0,6}|[^'\\\n])'/g;
  return text.replace(parts, (part) =>
    part.startsWith('/') ? part.replace(/[^\n]/g, ' ') : `"${part.slice(1, -1).replace(/[^\n]/g, '_')}"`,
  );
}

/** What stands in a class itself, not in bodies of methods or in classes inside it. */
function topOfClass(code: string, from: number): string {
  let depth = 0;
  let kept = '';
  for (let i = code.indexOf('{', from); i >= 0 && i < code.length; i++) {
    const unit = code[i] ?? '';
    if (unit === '{') depth += 1;
    if (depth === 1 || (depth === 2 && unit === '{')) kept += unit;
    if (unit === '}') depth -= 1;
    if (depth === 0) break;
  }
  return kept;
}

/** What a class file says of itself; undefined where it cannot be read or is nothing that a host makes an object of. */
export function classFileEntries(
  tree: SurveyedTree,
  path: string,
): (ClassFacts & { readonly java: number }) | undefined {
  const file = join(tree.root, path);
  try {
    if (statSync(file).size > MAX_CLASS_BYTES) return undefined;
    const read = readClass(readFileSync(file));
    if ((read.access & (ACC.interface | ACC.abstract | ACC.enum | ACC.module)) !== 0) return undefined;
    const name = read.name.replaceAll('/', '.');
    const entries = read.methods
      .filter(
        ({ access, name: method }) =>
          (access & ACC.public) !== 0 && (access & ACC.synthetic) === 0 && !method.startsWith('<'),
      )
      .flatMap(({ name: method, descriptor }) => {
        const types = parameterTypes(descriptor).map((type) => ({ type: typeWord(type), name: '' }));
        return ranked(method, types, name) ?? [];
      });
    return { name, entries: byPoints(entries), java: javaOfClassVersion(read.major) };
  } catch {
    // Not every file of that name is one.
    return undefined;
  }
}

function typeWord(descriptor: string): string {
  return descriptor.startsWith('L') ? descriptor.slice(1, -1).replaceAll('/', '.') : 'int';
}
