/** Who asks for what: every file that leads to another, not only the first that did. */

/** What a file asks for, by path, with the line where it does; 0 where there is none. */
export type AskedFor = ReadonlyMap<string, number>;

/** What is kept together: as long as one of those who ask is there, all of it is. */
export interface KeptTogether {
  readonly by: AskedFor;
  readonly for: ReadonlySet<string>;
}

export interface DependencyEdges {
  readonly files: ReadonlyMap<string, AskedFor>;
  readonly together: readonly KeptTogether[];
}

export const NO_EDGES: DependencyEdges = { files: new Map(), together: [] };

/** Puts down who asks for what while files are traced. */
export class EdgeBook {
  readonly #files = new Map<string, Map<string, number>>();
  readonly #together = new Map<string, { readonly by: Map<string, number>; readonly for: Set<string> }>();

  /** @param line 0 where there is none; the first one counts */
  ask(by: string, path: string, line = 0): void {
    if (by === '' || by === path) return;
    const known = this.#files.get(by);
    if (known === undefined) this.#files.set(by, new Map([[path, line]]));
    else if (!known.has(path)) known.set(path, line);
  }

  /** One more who asks for what is kept together under a name. @returns whether nobody did before */
  askTogether(name: string, by: string, line = 0): boolean {
    const known = this.#together.get(name);
    if (known === undefined) this.#together.set(name, { by: new Map([[by, line]]), for: new Set() });
    else if (!known.by.has(by)) known.by.set(by, line);
    return known === undefined;
  }

  /** One more file that is kept under a name. */
  keepTogether(name: string, path: string): void {
    this.#together.get(name)?.for.add(path);
  }

  /** Whether all that has a name is kept already. */
  isTogether(name: string): boolean {
    return this.#together.has(name);
  }

  get edges(): DependencyEdges {
    return { files: this.#files, together: [...this.#together.values()].filter((one) => one.for.size > 0) };
  }
}

/** The same with other names of files. */
export function renameEdges({ files, together }: DependencyEdges, rename: (path: string) => string): DependencyEdges {
  const renamed = (all: AskedFor): AskedFor => new Map([...all].map(([path, line]) => [rename(path), line]));
  return {
    files: new Map([...files].map(([by, all]) => [rename(by), renamed(all)])),
    together: together.map((one) => ({ by: renamed(one.by), for: new Set([...one.for].map(rename)) })),
  };
}

/**
 * The same for what is there: a file that is not asks for nothing itself, and who asks for it asks for all that it leads to.
 * Linking leaves such files out.
 */
export function condenseEdges(
  { files, together }: DependencyEdges,
  isThere: (path: string) => boolean,
): DependencyEdges {
  const askedBy = (all: AskedFor): AskedFor => {
    const found = new Map<string, number>();
    for (const [path, line] of all)
      for (const end of endsOf(path, files, isThere)) if (!found.has(end)) found.set(end, line);
    return found;
  };
  const known = [...files].filter(([by]) => isThere(by));
  return {
    files: new Map(known.map(([by, all]) => [by, askedBy(all)])),
    together: together.flatMap((one) => {
      const by = new Map([...one.by].filter(([path]) => isThere(path)));
      const wanted = new Set([...one.for].filter(isThere));
      return by.size === 0 || wanted.size === 0 ? [] : [{ by, for: wanted }];
    }),
  };
}

/** The path itself where it is there; else all that are reached through it. */
function endsOf(path: string, files: DependencyEdges['files'], isThere: (path: string) => boolean): string[] {
  if (isThere(path)) return [path];
  const ends: string[] = [];
  const seen = new Set([path]);
  for (const at of seen)
    for (const next of files.get(at)?.keys() ?? []) {
      if (seen.has(next)) continue;
      if (isThere(next)) ends.push(next);
      else seen.add(next);
    }
  return [...new Set(ends)];
}
