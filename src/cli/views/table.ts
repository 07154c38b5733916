/** Tables without lines: columns two spaces apart. */
import Table from 'cli-table3';

const NO_LINES = Object.fromEntries(
  ['top', 'top-mid', 'top-left', 'top-right', 'bottom', 'bottom-mid', 'bottom-left', 'bottom-right'].map((part) => [
    part,
    '',
  ]),
);

/** @param right indexes of the columns that are aligned to the right */
export function table(rows: readonly (readonly string[])[], right: readonly number[] = [], indent = '  '): string {
  const columns = Math.max(0, ...rows.map((row) => row.length));
  const made = new Table({
    chars: {
      ...NO_LINES,
      left: indent,
      'left-mid': '',
      mid: '',
      'mid-mid': '',
      right: '',
      'right-mid': '',
      middle: '  ',
    },
    style: { 'padding-left': 0, 'padding-right': 0, head: [], border: [] },
    colAligns: Array.from({ length: columns }, (_, i) => (right.includes(i) ? 'right' : 'left')),
  });
  made.push(...rows.map((row) => [...row]));
  return made
    .toString()
    .split('\n')
    .map((line) => line.trimEnd())
    .join('\n');
}
