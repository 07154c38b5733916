/** Which methods a host could call, by C# source as text. */
import { cutAtCommas, inParentheses, lineAt, rank, type SurveyedSetting } from '../../surveying';

const TYPE =
  /\bpublic\s+((?:static\s+|sealed\s+|partial\s+|abstract\s+)*)(?:class|struct|record(?:\s+class|\s+struct)?)\s+(\w+)/g;
const METHOD =
  /\bpublic\s+((?:static\s+|async\s+|virtual\s+|override\s+|sealed\s+)*)([\w.<>?[\],]+(?:\s*<[^(){};=]*>)?)\s+(\w+)\s*\(/g;
const PRIMITIVE = /^(?:int|long|short|byte|char|bool|float|double|uint|ulong|ushort|decimal)\??$/;

export interface SourceEntry {
  /** `Namespace.Type.Method`. */
  readonly member: string;
  readonly why: string;
  readonly points: number;
}

/** Methods in a source file that a host could call, by their signatures. */
export function sourceEntries(text: string): SourceEntry[] {
  const code = plainCode(text);
  const [, space] = /\bnamespace\s+([\w.]+)\s*[;{]/.exec(code) ?? [];
  const types = [...code.matchAll(TYPE)].map(({ 1: modifiers = '', 2: name = '', index }) => ({
    modifiers,
    name,
    index,
  }));
  return [...code.matchAll(METHOD)].flatMap((match): SourceEntry[] => {
    const [whole, modifiers = '', , member = ''] = match;
    const type = types.findLast(({ index }) => index < match.index);
    if (type === undefined || member === type.name) return [];
    if (type.modifiers.includes('abstract') && !modifiers.includes('static')) return [];
    const list = inParentheses(code, match.index + whole.length - 1);
    const parameters = list === undefined ? [] : cutAtCommas(list).map(parameterOf);
    const [first, , third] = parameters;
    if (first === undefined || third !== undefined || PRIMITIVE.test(first.type)) return [];
    const names = parameters.map(({ type: of, name }) => (/Event(?:<.*>)?$/.test(of) ? 'event' : name));
    const { points, why } = rank({ member, parameters: names, stem: type.name, folder: '' });
    const full = [space, type.name, member].filter((part) => part !== undefined).join('.');
    return points === 0 ? [] : [{ member: full, why, points }];
  });
}

function parameterOf(text: string): { readonly type: string; readonly name: string } {
  const words = text
    .replace(/\[[^\]]*\]\s*/g, '')
    .replace(/=.*$/, '')
    .trim();
  const [, type = '', name = ''] = /^([\s\S]*?)\s+@?(\w+)$/.exec(words) ?? [];
  return { type: type.trim(), name };
}

/** Code without comments and without what is in texts; lines stay. */
function plainCode(text: string): string {
  const parts = /\/\/[^\n]*|\/\*[\s\S]*?\*\/|@?"(?:\\.|[^"\\\n])*"|'(?:\\.|[^'\\\n])'/g;
  return text.replace(parts, (part) =>
    part.startsWith('/') ? part.replace(/[^\n]/g, ' ') : `"${part.slice(1, -1).replace(/[^\n]/g, '_')}"`,
  );
}

const READ = /\bEnvironment\s*\.\s*GetEnvironmentVariable\s*\(\s*"([A-Za-z_]\w*)"\s*\)(\s*\?\?)?/g;

/** Settings that sources read. @param texts by path */
export function settingsIn(texts: ReadonlyMap<string, string>): SurveyedSetting[] {
  return [...texts].flatMap(([file, text]) =>
    [...text.matchAll(READ)].map(({ 1: name = '', 2: otherwise, index }) => ({
      name,
      file,
      line: lineAt(text, index),
      hasDefault: otherwise !== undefined,
    })),
  );
}
