/** What is a JVM function's own: in the sheet, in the lock, in the waybill. */
import type { LockedClashes } from '../../project/lock/locked-clash';

export const DEBUGS = ['lines', 'none', 'all'] as const;

/** A package that moves. Names with dots. */
export interface Relocate {
  readonly from: string;
  readonly to: string;
  /** `group:artifact` of the dependency that is settled by itself, in which alone the package moves. */
  readonly within?: string;
}

export interface JvmKeys {
  readonly relocate: readonly Relocate[];
  /** Patterns of class names that stay. */
  readonly except: readonly string[];
  /** Patterns of files that are joined where several JARs have them. */
  readonly append: readonly string[];
  readonly releases: 'flatten' | 'keep';
  readonly debug: (typeof DEBUGS)[number];
  /** Class that `java -jar` starts. */
  readonly main?: string;
  /** Annotation processors that may run. */
  readonly processors: readonly string[];
  /** Take out methods and fields too. */
  readonly deep: boolean;
}

export interface LockedJvmPackage {
  /** The dependency that was settled by itself, for which alone this one is. */
  readonly apart?: string | undefined;
  /** It is there where the function runs; only compiling needs it. */
  readonly provided?: true | undefined;
  /** What its POM, or a parent of that, states of its licences: names or addresses. Not what the artifact depends on. */
  readonly licences?: readonly string[] | undefined;
}

export type LockedJvm = LockedClashes;
