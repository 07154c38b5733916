/** What starts a process of the stand-in host. */
import type { Calls } from '../../../core/events';
import type { Speaks } from '../exchange/messages';

export interface ProcessPlan {
  /**
   * How it is spoken to: through a runner, over descriptors of its own; an event a line on standard input, an answer a
   * line on standard output; or by HTTP on a port that it is told.
   */
  readonly speaks: Speaks;
  /** How the destination calls functions. */
  readonly calls: Calls;
  /** Whether it is a web application, which gets requests. */
  readonly isWeb: boolean;
  /** The port on which it is to listen; 0 where it does not. */
  readonly port: number;
  /** The runtime's program and its arguments up to the runner. */
  readonly program: string;
  readonly args: readonly string[];
  readonly cwd: string;
  readonly env: Readonly<Record<string, string>>;
  /** User and group to become; undefined to stay who we are. */
  readonly user?: number;
  /** Whether it runs below a shell in namespaces of its own, which hold back who it is. */
  readonly isConfined: boolean;
  readonly load: {
    /** Absolute path of the unpacked artifact, and of the entry in it. */
    readonly root: string;
    readonly file: string;
    /** The class that has the member, where the runtime wants to be told. */
    readonly className?: string;
    readonly member: string;
    /** Whether the runner is to tell what loading costs. */
    readonly profile?: true;
    /** Paths of the function's own files, for that. */
    readonly own?: readonly string[];
    readonly name: string;
    readonly memory: number;
  };
  readonly memoryBytes: number;
  readonly timeoutMs: number;
  /** What the runtime writes before it ends for want of memory. */
  readonly fullHeap?: string | undefined;
}
