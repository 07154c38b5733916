/** What locking is asked for, and what comes of it. */
import type { RegistryConnection } from '../../sources/registry';
import type { FunctionFailure } from '../../findings/failure';
import type { HttpClient, NotedSource } from '../../sources';
import type { LockedBase, LockedPackage } from '../../project/lock/lockfile';
import type { Project } from '../../project/targets';
import type { Arch, FunctionSpec } from '../../sheet';
import type { Machine } from '../../toolchains/machine';

export interface LockRequest {
  readonly project: Project;
  readonly functions: readonly FunctionSpec[];
  readonly http: HttpClient;
  readonly machine: Machine;
  /** Names of packages whose locked versions no longer count, as they were written; all of them. */
  readonly upgrade: readonly string[] | 'all';
  /** Registries, for bases of images. */
  readonly registry: (host: string, plainHttp: boolean) => Promise<RegistryConnection>;
  /** Threads that compress. */
  readonly jobs: number;
  readonly onSettling: (name: string, arch: Arch) => void;
  /** Told of a function that cannot be settled, so that the others can; without it the first such failure is thrown. */
  readonly onFailure?: (failure: FunctionFailure) => void;
  readonly onBase: (doing: string, doneBytes: number, totalBytes: number) => void;
}

export interface LockedChange {
  readonly name: string;
  readonly arch: string;
  readonly before?: string;
  readonly after?: string;
}

export interface LockOutcome {
  readonly name: string;
  /** `unchanged`: the requirements are those that were settled, and nothing was asked of anybody. */
  readonly status: 'unchanged' | 'settled' | 'no-needs';
  readonly targets: Readonly<Record<string, readonly LockedPackage[]>>;
  /** Who was asked for packages, and why they. */
  readonly sources: readonly NotedSource[];
  /** What people should know of the sources that were asked. */
  readonly notes: readonly string[];
  readonly changes: readonly LockedChange[];
  /** What the image stands on. */
  readonly base?: LockedBase;
}
