/** What a rule finds. */

/** `stop`: the destination would refuse it or it would not start. `warn`: it may hurt. `note`: worth knowing. */
export type Level = 'stop' | 'warn' | 'note';

export interface Finding {
  readonly level: Level;
  /** What it is about: a path in the artifact, a setting's name; undefined for the artifact as a whole. */
  readonly where?: string;
  readonly expected: string;
  readonly found: string;
  readonly mend: string;
  /** The mend for an artifact that was not built here, where no sheet and no lock are at hand; the same otherwise. */
  readonly mendByHand?: string;
  /** What tells it from others that are alike, so that it alone can be accepted. */
  readonly fingerprint?: string;
}
