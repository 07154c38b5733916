export interface ManyOptions {
  readonly languages?: readonly string[];
  readonly store?: object;
  readonly sheet?: object;
}
/** Writes a project. @returns the names of its functions */
export function writeMany(root: string, count: number, options?: ManyOptions): string[];
