/** Absolute paths in texts and binaries: where only they differ, the folder that something was made in is the cause. */

const PATH =
  /(?:\/(?:home|root|tmp|usr|opt|var|build|builds|workspace|work|src|Users|private|mnt|srv|app)(?:\/[\w.@+~-]+)+|[A-Z]:\\(?:[\w.@+~-]+\\)+[\w.@+~-]+)/g;

export interface PathCause {
  readonly a: string;
  readonly b: string;
  /** Whether nothing else differs. */
  readonly isAll: boolean;
}

/** The first path that differs, where paths do. */
export function pathCause(a: string, b: string): PathCause | undefined {
  const [x, y] = [a.match(PATH) ?? [], b.match(PATH) ?? []];
  if (x.length === 0 || x.length !== y.length) return undefined;
  const at = x.findIndex((path, i) => path !== y[i]);
  if (at < 0) return undefined;
  return { a: x[at] ?? '', b: y[at] ?? '', isAll: a.replace(PATH, '/') === b.replace(PATH, '/') };
}
