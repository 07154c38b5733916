/** The value that a table itself has; not what every object has, which names from outside may hit (`constructor`). */
export function ownOf<T>(table: Readonly<Record<string, T>>, key: string): T | undefined {
  return Object.hasOwn(table, key) ? table[key] : undefined;
}
