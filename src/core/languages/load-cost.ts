/** What loading a function costs, part by part. */
export interface LoadCost {
  /** A module or a package of classes, as its language names it. */
  readonly name: string;
  /** By itself, and with all that it loads. */
  readonly selfMs: number;
  readonly totalMs: number;
  /** Who loads it. */
  readonly by?: string;
  /** The function's own code imports it at once, and uses it only when it is called. */
  readonly isLater?: true;
}

/** How loading is looked at. */
export interface Profiling {
  /** What stands on the command line before everything else. @param trace absolute path of a file for the runtime to write */
  args(trace: string): string[];
  /** What it cost. */
  read(found: ProfileFound): Promise<LoadCost[]>;
}

export interface ProfileFound {
  /** What the runner says, which may be anything. */
  readonly told: unknown;
  /** What the runtime wrote; '' for nothing. */
  readonly trace: string;
  /** Absolute path of the unpacked artifact. */
  readonly root: string;
  /** The file that is loaded. */
  readonly entry: string;
  /** Paths of the function's own files in it. */
  readonly own: readonly string[];
}

interface ToldCost {
  readonly name?: unknown;
  readonly file?: unknown;
  readonly total?: unknown;
  readonly self?: unknown;
  readonly by?: unknown;
  readonly isLater?: unknown;
}

/** Costs as runners tell them; what is of another form is passed over. */
export function toldCosts(result: unknown, nameOf: (one: { name: string; file: string }) => string): LoadCost[] {
  const text = (value: unknown): string => (typeof value === 'string' ? value : '');
  return (Array.isArray(result) ? (result as readonly ToldCost[]) : []).flatMap((one) => {
    const name = nameOf({ name: text(one.name), file: text(one.file) });
    const by = text(one.by) === '' ? '' : nameOf({ name: text(one.by), file: text(one.by) });
    if (name === '' || typeof one.total !== 'number' || typeof one.self !== 'number') return [];
    return [
      {
        name,
        selfMs: one.self,
        totalMs: one.total,
        ...(by !== '' && { by }),
        ...(one.isLater === true && { isLater: true as const }),
      },
    ];
  });
}
