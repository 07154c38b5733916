/** What building is asked for, and what comes of it. */
import type { StatIndex } from './stat-index';
import type { Survey } from '../../fileset/collect';
import type { Inputs } from '../../project/inputs';
import type { LockedBase, LockedFunction } from '../../project/lock/lockfile';
import type { FunctionFailure } from '../../findings/failure';
import type { Project, Target } from '../../project/targets';
import type { Arch, FunctionSpec } from '../../sheet';
import type { HttpClient } from '../../sources';
import type { RegistryConnection } from '../../sources/registry';
import type { Machine } from '../../toolchains/machine';

export interface BuildRequest {
  readonly project: Project;
  readonly functions: readonly FunctionSpec[];
  /** Threads that compress. */
  readonly jobs: number;
  /** Seconds since 1970 that entries carry (SOURCE_DATE_EPOCH); the format's floor where there is none. */
  readonly epochSeconds?: number;
  /** Milliseconds since 1970. */
  readonly now: () => number;
  /** Name and version of the tool. */
  readonly tool: string;
  /** For locked packages that are not in the store. */
  readonly http: () => Promise<HttpClient>;
  /** For what has to run here: compiling bytecode, building packages from source. */
  readonly machine: Machine;
  /** Registries, for bases of images that are not in the store. */
  readonly registry: (host: string, plainHttp: boolean) => Promise<RegistryConnection>;
  /** Whether all images are also written as one tar archive, whatever the sheet says. */
  readonly isArchived?: boolean;
  readonly onEvent: (event: BuildEvent) => void;
  /** Which targets are wanted; all where it is not given. */
  readonly part?: (target: Target) => boolean;
  /** Told of a function that cannot be built, so that the others can; without it the first such failure is thrown. */
  readonly onFailure?: (failure: FunctionFailure) => void;
}

export type BuildEvent =
  | { readonly kind: 'waiting' }
  | { readonly kind: 'archiving'; readonly name: string; readonly arch: Arch }
  | { readonly kind: 'compiling'; readonly name: string; readonly arch: Arch; readonly what?: string }
  | {
      readonly kind: 'fetching';
      readonly doing: string;
      readonly doneBytes: number;
      readonly totalBytes: number;
    }
  | { readonly kind: 'packing'; readonly name: string; readonly doneBytes: number; readonly totalBytes: number };

export interface BuiltTarget {
  readonly name: string;
  readonly arch: Arch;
  /** `unchanged`: nothing was done. `same`: made again, with the same bytes. `stored`: from our own store; `fetched`: from the shared one. */
  readonly status: 'unchanged' | 'same' | 'stored' | 'built' | 'fetched';
  /** Relative to the project. */
  readonly artifact: string;
  readonly waybill: string;
  /** The layout of an image as one tar archive, where that is wanted. */
  readonly archive?: string;
  readonly size: number;
  readonly unpacked: number;
  readonly files: number;
  readonly sha256: string;
  /** Bytes of packages that were taken out. */
  readonly trimmed: number;
}

export interface BuiltFunction {
  readonly targets: readonly BuiltTarget[];
  /** Files whose content was read and hashed, and files that were packed. */
  readonly hashed: number;
  readonly packed: number;
  readonly leftOut: Survey['leftOut'];
}

export interface ChangedStatus {
  readonly spec: FunctionSpec;
  readonly survey: Survey;
  /** When the look began. */
  readonly lookedAtMs: number;
  readonly index: StatIndex | undefined;
  /** What artifact and waybill depend on beside the source folder, and how that stood. */
  readonly inputs: Inputs;
  readonly config: string;
  readonly common: string;
  readonly locked: LockedFunction | undefined;
  /** What an image stands on, as it was settled. */
  readonly base: LockedBase | undefined;
  readonly unchanged?: undefined;
}

/** What a look at a function gave; with `unchanged` there is nothing to do. */
export type BuildStatus = ChangedStatus | { readonly spec: FunctionSpec; readonly unchanged: BuiltFunction };

/** What a look needs to know. */
export type StatusRequest = Pick<BuildRequest, 'project' | 'epochSeconds' | 'now' | 'tool' | 'part'>;
