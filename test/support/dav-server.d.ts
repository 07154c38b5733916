import type { ChildProcess } from 'node:child_process';

export declare const hasDav: boolean;

export interface DavServer {
  /** Absolute path of a folder of its own. */
  readonly root: string;
  readonly port: number;
  /** `NAME:PASSWORD` that it wants. */
  readonly login?: string | undefined;
}

export declare function startDav(server: DavServer): ChildProcess;
