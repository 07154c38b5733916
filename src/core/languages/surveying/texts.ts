/** Reading source by its text alone, where nobody has parsed it. */

/** What stands between a parenthesis at `open` and its partner; undefined where that is not found nearby. */
export function inParentheses(text: string, open: number): string | undefined {
  let depth = 0;
  for (let i = open; i < text.length && i < open + 4000; i++) {
    const unit = text[i];
    if (unit === '(' || unit === '[' || unit === '{') depth += 1;
    else if (unit === ')' || unit === ']' || unit === '}') {
      depth -= 1;
      if (depth === 0) return text.slice(open + 1, i);
    }
  }
  return undefined;
}

/** A list cut at its commas, those in brackets of any kind left alone. */
export function cutAtCommas(list: string): string[] {
  const parts: string[] = [];
  let depth = 0;
  let from = 0;
  for (let i = 0; i < list.length; i++) {
    const unit = list[i] ?? '';
    if ('([{<'.includes(unit)) depth += 1;
    else if (')]}'.includes(unit) || (unit === '>' && list[i - 1] !== '=' && list[i - 1] !== '-')) depth -= 1;
    else if (unit === ',' && depth <= 0) {
      parts.push(list.slice(from, i));
      from = i + 1;
    }
  }
  parts.push(list.slice(from));
  return parts.map((part) => part.trim()).filter((part) => part !== '');
}

/** The line on which a position stands, from 1. */
export function lineAt(text: string, at: number): number {
  let line = 1;
  for (let i = text.indexOf('\n'); i >= 0 && i < at; i = text.indexOf('\n', i + 1)) line += 1;
  return line;
}

/** The first group of each match. */
export function allOf(text: string, pattern: RegExp): string[] {
  return [...text.matchAll(pattern)].map(([, found = '']) => found);
}
