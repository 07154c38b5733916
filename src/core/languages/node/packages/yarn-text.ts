/** The text of a `yarn.lock` of format 1: blocks of a line with patterns, then lines of two words, indented by level. */
import { invalid } from './package-lock';

export interface YarnBlock {
  /** `levels@^1.2`, as those who ask write it. */
  readonly patterns: readonly string[];
  /** Counting from 1. */
  readonly line: number;
  readonly fields: Readonly<Record<string, string>>;
  readonly dependencies: Readonly<Record<string, string>>;
  readonly optionalDependencies: Readonly<Record<string, string>>;
}

interface OpenBlock extends YarnBlock {
  readonly fields: Record<string, string>;
  readonly dependencies: Record<string, string>;
  readonly optionalDependencies: Record<string, string>;
}

/**
 * @param shown the file's name, for messages
 * @throws EmballageError REQUIREMENTS_INVALID with the first line that is none
 */
export function readYarnText(text: string, shown: string): YarnBlock[] {
  const reader = new YarnReader();
  for (const [i, raw] of text.split(/\r?\n/).entries()) {
    if (raw.trim() === '' || raw.startsWith('#') || reader.take(raw, i + 1)) continue;
    throw invalid(
      `${shown}:${String(i + 1)}:1`,
      'a line of a lock of format 1',
      `\`${raw.trim().slice(0, 80)}\``,
      'write it anew with Yarn: it was cut off, edited by hand or merged badly',
    );
  }
  return reader.blocks;
}

class YarnReader {
  readonly blocks: OpenBlock[] = [];
  /** The table of the block that is open; undefined between tables. */
  #table: Record<string, string> | undefined;

  /** @returns whether the line is one that can stand there */
  take(raw: string, line: number): boolean {
    const indent = raw.length - raw.trimStart().length;
    const words = wordsOf(raw.trim());
    if (words === undefined) return false;
    if (indent === 0) return this.#begin(raw, words, line);
    const block = this.blocks.at(-1);
    if (block === undefined) return false;
    return raw.endsWith(':') ? this.#open(block, indent, words) : this.#value(block, indent, words);
  }

  #begin(raw: string, patterns: readonly string[], line: number): boolean {
    this.#table = undefined;
    this.blocks.push({ patterns, line, fields: {}, dependencies: {}, optionalDependencies: {} });
    return raw.endsWith(':');
  }

  #open(block: OpenBlock, indent: number, [name]: readonly string[]): boolean {
    const isKnown = name === 'dependencies' || name === 'optionalDependencies';
    // What else there may be is of no use here.
    this.#table = isKnown ? block[name] : {};
    return indent === 2;
  }

  #value(block: OpenBlock, indent: number, [key, value]: readonly string[]): boolean {
    const target = indent === 2 ? block.fields : this.#table;
    if (target === undefined || key === undefined || value === undefined) return false;
    target[key] = value;
    return true;
  }
}

/** Words, some in quotes, with commas between the patterns of a block and a colon behind them. */
function wordsOf(line: string): string[] | undefined {
  const plain = line.replace(/:$/, '');
  const words = [...plain.matchAll(/"((?:[^"\\]|\\.)*)"|([^\s",]+)/g)].map(([, quoted, bare]) =>
    quoted === undefined ? (bare ?? '') : quoted.replace(/\\(.)/g, '$1'),
  );
  return words.length === 0 || /<{7}|>{7}|={7}/.test(line) ? undefined : words;
}
