/** A version that somebody asks for and that a nearer one overrides, as locks and waybills note it. */
export interface LockedClash {
  readonly name: string;
  readonly version: string;
  readonly chain: readonly string[];
  readonly used: string;
  readonly usedChain: readonly string[];
}

/** What the languages in which the nearest wins write of it. */
export interface LockedClashes {
  readonly clashes: readonly LockedClash[];
}
