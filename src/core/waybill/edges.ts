/** Who asks for what, as a waybill has it: by the numbers of rows, so that ten thousand files stay a short list. */
import type { AskedFor, DependencyEdges } from '../fileset/edges';
import type { Waybill } from './schema';

/** A row, or a row and the line in the file that asks. */
export type AskedRow = Waybill['asks'][number]['for'][number];
type Rows = Pick<Waybill, 'asks' | 'together'>;

/**
 * @param files paths of `files`, in order
 * @param modules paths of `modules`, in order; a module of a path comes before a file of it
 */
export function edgeRows(edges: DependencyEdges, files: readonly string[], modules: readonly string[]): Rows {
  const numbers = new Map(files.map((path, i) => [path, i]));
  for (const [i, path] of modules.entries()) numbers.set(path, files.length + i);
  const rowsOf = (asked: AskedFor): AskedRow[] =>
    [...asked]
      .flatMap(([path, line]): [number, number][] => {
        const row = numbers.get(path);
        return row === undefined ? [] : [[row, line]];
      })
      .sort(([a], [b]) => a - b)
      .map(([row, line]) => (line === 0 ? row : [row, line]));
  const own = [...edges.files].flatMap(([path, asked]) => {
    const by = numbers.get(path);
    const wanted = rowsOf(asked);
    return by === undefined || wanted.length === 0 ? [] : [{ by, for: wanted }];
  });
  const together = edges.together
    .map((one) => ({ by: rowsOf(one.by), for: rowsOf(new Map([...one.for].map((path) => [path, 0]))).map(rowOf) }))
    .filter((one) => one.by.length > 0 && one.for.length > 0)
    .map((one) => ({ key: JSON.stringify(one), one }))
    .sort((a, b) => (a.key < b.key ? -1 : 1));
  return { asks: own.sort((a, b) => a.by - b.by), together: together.map(({ one }) => one) };
}

/** The number of a row. */
export function rowOf(asked: AskedRow): number {
  return typeof asked === 'number' ? asked : asked[0];
}

/** The line in the file that asks; undefined where none is known. */
export function lineOf(asked: AskedRow): number | undefined {
  return typeof asked === 'number' ? undefined : asked[1];
}
