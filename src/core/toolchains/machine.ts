/** What is known of the machine that builds. Nothing in an artifact may depend on it; tools that run here do. */
import type { Arch } from '../sheet';
import type { Credentials } from './credentials';

export interface Machine {
  readonly arch: Arch;
  /** Version of its GNU C library; undefined where it has another. Takes a while to find out. */
  glibc(): string | undefined;
  /** The PATH. */
  readonly searchPath: string;
  /** Absolute path of the user's home. */
  readonly home: string;
  /** Variables of the environment. */
  readonly variable: (name: string) => string | undefined;
  readonly variables: () => Readonly<Record<string, string | undefined>>;
  /** The program that runs us, and its version. */
  readonly self: { readonly path: string; readonly version: string };
  /** Logins for hosts, from the user's netrc file. */
  readonly credentials: Credentials;
  /** What is looked for here, once in a run. @param what names it */
  once<T>(what: string, look: () => T): T;
}
