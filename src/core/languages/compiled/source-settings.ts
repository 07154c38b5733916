/** Settings that native code reads, where its source says so plainly: calls for the environment with a literal name. */

export interface SourceSetting {
  readonly name: string;
  readonly line: number;
  readonly hasDefault: boolean;
}

/** How a language reads settings. */
export interface SettingWords {
  /** Names of source files. */
  readonly files: RegExp;
  /** A call with a literal name, which is its first group; global. */
  readonly call: RegExp;
  /** A call that goes on without the setting, by itself or by what follows it. */
  readonly isDefaulted: (call: string, rest: string) => boolean;
  /** How its raw texts begin, in which nothing is code. */
  readonly rawText?: '`' | 'r';
}

/** The settings that a source file reads by a name that stands there. */
export function readSourceSettings(text: string, words: SettingWords): SourceSetting[] {
  if (text.search(words.call) === -1) return [];
  const code = withoutComments(text, words.rawText);
  return [...code.matchAll(words.call)].map((call) => {
    const [whole, name = ''] = call;
    const line = code.slice(0, call.index).split('\n').length;
    const rest = code.slice(call.index + whole.length, call.index + whole.length + 80);
    return { name, line, hasDefault: words.isDefaulted(whole, rest) };
  });
}

/** Comments and raw texts as spaces, so that what is said in them is not taken for code; lines stay. */
function withoutComments(text: string, rawText: SettingWords['rawText']): string {
  const blank = (part: string): string => part.replace(/[^\n]/g, ' ');
  // In this order, each from where it begins: comments, texts, raw texts, single characters.
  const parts =
    /\/\/[^\n]*|\/\*[\s\S]*?\*\/|"(?:\\[\s\S]|[^"\\])*"|\br(#*)"[\s\S]*?"\1|`[^`]*`|'(?:\\.[^']{0,8}|[^'\\\n])'/g;
  return text.replace(parts, (part: string) => {
    if (part.startsWith('/')) return blank(part);
    if (part.startsWith('`')) return rawText === '`' ? blank(part) : part;
    return part.startsWith('r') && rawText === 'r' ? blank(part) : part;
  });
}
