/** Import statements, taken apart. */

export interface Import {
  /** Dots before the name: 0 for an absolute import. */
  readonly level: number;
  /** Dotted name; '' for `from . import x`. */
  readonly module: string;
  /** What is taken from it: names, or everything; undefined for `import x.y`. */
  readonly names?: readonly string[] | '*';
}

/** Where something stands in a module. */
export interface Place {
  /** Counting from 1. */
  readonly line: number;
}

/** `import a.b as c, d` or `from ..p import (q as r, s)`. What cannot be read gives nothing. */
export function readImport(statement: string): Import[] {
  const text = statement
    .replace(/#.*$/gm, '')
    .replace(/\\\r?\n/g, ' ')
    .replace(/\s+/g, ' ')
    .trim();
  const [, dots, module, list] = /^from ?([. ]*)(\w[\w.]*)? ?import ?(.+)$/.exec(text) ?? [];
  if (list !== undefined) {
    const names = splitNames(list.replace(/[()]/g, ''));
    const level = (dots ?? '').replaceAll(' ', '').length;
    return [{ level, module: module ?? '', names: names.includes('*') ? '*' : names }];
  }
  const [, plain] = /^import (.+)$/.exec(text) ?? [];
  return plain === undefined ? [] : splitNames(plain).map((name) => ({ level: 0, module: name }));
}

function splitNames(list: string): string[] {
  return list
    .split(',')
    .map((part) => part.trim().split(' ')[0] ?? '')
    .filter((name) => name !== '');
}
