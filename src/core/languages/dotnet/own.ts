/** What is a .NET function's own: in the sheet, in the lock, in the waybill. */
import type { LockedClashes } from '../../project/lock/locked-clash';

export const PUBLISHED = ['framework-dependent', 'self-contained', 'single-file'] as const;

export interface DotnetKeys {
  /** Languages whose texts are wanted, `de` or `de-AT`; those of all where it says none. */
  readonly languages?: readonly string[];
  /** How a project is published. */
  readonly publish: (typeof PUBLISHED)[number];
}

export interface LockedDotnetPackage {
  /** SHA-512 of its content without signature, in base 64, as locks of its own ecosystem have it. */
  readonly contentHash: string;
  /** Only compiling needs it. */
  readonly build?: true | undefined;
}

export type LockedDotnet = LockedClashes;
