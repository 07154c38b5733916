/** What calling a function from its artifact takes. */
import type { Calls, Shape } from '../../core/events';
import type { HostRun } from '../../core/languages';
import type { MountedData } from './beside';
import type { ImagePlan } from './image-plan';

export interface HostPlan {
  /** Absolute path of the artifact, and its name for messages. */
  readonly artifact: string;
  readonly shown: string;
  /** Name of the function. */
  readonly name: string;
  /** Entry file in the artifact, and the member. */
  readonly file: string;
  readonly member: string;
  /** How functions of its language are started, and the program that runs it; none where it is an executable itself. */
  readonly run: HostRun;
  readonly program?: string;
  /** What runs an executable for another processor, and the folder with the C library for it, where that is not the system’s own. */
  readonly emulator?: { readonly program: string; readonly sysroot?: string };
  /** Lays the artifact out in a folder; it is called as it lies without. @returns folders that were made */
  readonly unpack?: (into: string) => Promise<string[]>;
  /** For an image: what runs it; its own configuration says the rest. */
  readonly image?: ImagePlan;
  /** How the destination calls functions. */
  readonly calls: Calls;
  /** For a web application: the shape of its requests. */
  readonly shape?: Shape;
  readonly env: Readonly<Record<string, string>>;
  /** Data that travels beside the artifact. */
  readonly beside: readonly MountedData[];
  /** Where the start is looked at: whether files of the artifact are taken out of memory before it, and which are the function's own. */
  readonly profile?: { readonly isCold: boolean; readonly own: readonly string[] };
  readonly memoryBytes: number;
  readonly timeoutMs: number;
  /** Milliseconds since 1970, and from some fixed moment. */
  readonly now: () => number;
  readonly elapsed: () => number;
}
