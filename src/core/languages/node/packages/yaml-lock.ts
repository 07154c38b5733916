/** A lock that is YAML, with the lines on which its keys stand. */
import { isMap, LineCounter, parseDocument, type Document } from 'yaml';
import { asRecord, invalid } from './package-lock';

export interface YamlLock {
  readonly value: Record<string, unknown>;
  /** File, line and column of a key. */
  place(...path: readonly string[]): string;
}

/** Package managers write no aliases; few of them could stand for very much. */
function plainValue(document: Document, shown: string): Record<string, unknown> {
  try {
    return asRecord(document.toJS({ maxAliasCount: 0 }));
  } catch (cause) {
    throw invalid(shown, 'YAML without aliases', 'one', 'write it anew with its package manager', cause);
  }
}

/** @param shown the file's name, for messages @throws EmballageError REQUIREMENTS_INVALID */
export function readYamlLock(text: string, shown: string): YamlLock {
  const lines = new LineCounter();
  const document = parseDocument(text, { lineCounter: lines, strict: true, uniqueKeys: false });
  const at = (offset: number): string => {
    const { line, col } = lines.linePos(offset);
    return `${shown}:${String(line)}:${String(col)}`;
  };
  const [error] = document.errors;
  if (error !== undefined)
    throw invalid(
      at(error.pos[0]),
      'YAML',
      (error.message.split('\n')[0] ?? '').replace(/ at line .*$/, ''),
      'write it anew with its package manager: it was cut off, edited by hand or merged badly',
    );
  return {
    value: plainValue(document, shown),
    place: (...path) => {
      let node: unknown = document.contents;
      let offset = 0;
      for (const key of path) {
        const pair = isMap(node) ? node.items.find((one) => String(one.key) === key) : undefined;
        if (pair === undefined) break;
        offset = (pair.key as { range?: readonly number[] } | null)?.range?.[0] ?? offset;
        node = pair.value;
      }
      return at(offset);
    },
  };
}
