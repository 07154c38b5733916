/** Settings that native code reads, where its source says so plainly: calls for the environment with a literal name. */

export interface SourceSetting {
  readonly name: string;
  readonly line: number;
  readonly hasDefault: boolean;
}

const CALLS: Readonly<Record<string, RegExp>> = {
  c: /\b(?:secure_)?getenv\s*\(\s*"([A-Za-z_]\w*)"\s*\)/g,
  go: /\bos\s*\.\s*(?:Getenv|LookupEnv)\s*\(\s*"([A-Za-z_]\w*)"\s*\)/g,
  rust: /\benv\s*::\s*var(?:_os)?\s*\(\s*"([A-Za-z_]\w*)"\s*\)/g,
};
/** What follows a call that goes on without the setting. */
const DEFAULTED: Readonly<Record<string, RegExp>> = {
  c: /^\s*\?/,
  go: /(?!)/,
  rust: /^\s*\.\s*(?:unwrap_or|ok\b|is_ok|is_err|map_or)/,
};

export function readSourceSettings(text: string, language: string): SourceSetting[] {
  const calls = CALLS[language];
  if (calls === undefined || !/[gG]etenv|LookupEnv|env\s*::\s*var/.test(text)) return [];
  const code = withoutComments(text, language);
  return [...code.matchAll(calls)].map((call) => {
    const [whole, name = ''] = call;
    const line = code.slice(0, call.index).split('\n').length;
    const rest = code.slice(call.index + whole.length, call.index + whole.length + 80);
    return { name, line, hasDefault: whole.includes('LookupEnv') || DEFAULTED[language]?.test(rest) === true };
  });
}

/** Comments and raw texts as spaces, so that what is said in them is not taken for code; lines stay. */
function withoutComments(text: string, language: string): string {
  const blank = (part: string): string => part.replace(/[^\n]/g, ' ');
  // In this order, each from where it begins: comments, texts, raw texts, single characters.
  const parts =
    /\/\/[^\n]*|\/\*[\s\S]*?\*\/|"(?:\\[\s\S]|[^"\\])*"|\br(#*)"[\s\S]*?"\1|`[^`]*`|'(?:\\.[^']{0,8}|[^'\\\n])'/g;
  return text.replace(parts, (part: string) => {
    if (part.startsWith('/')) return blank(part);
    if (part.startsWith('`')) return language === 'go' ? blank(part) : part;
    return part.startsWith('r') && language === 'rust' ? blank(part) : part;
  });
}
