/** What languages know of the files in artifacts, whoever made those: which are code, and whose they are. */

export interface Weighing {
  /** Paths of its code. */
  readonly code?: RegExp;
  /** Paths of what tools and people read about packages, and functions do not. */
  readonly about?: RegExp;
  /** The package that a path says it is of. */
  readonly packageAt?: (path: string) => string | undefined;
  /** Files that list what packages have: which they are, and what one says. */
  readonly lists?: {
    readonly path: RegExp;
    /** @returns paths in the artifact, each with the name of the package */
    readonly read: (path: string, text: string) => Iterable<readonly [path: string, name: string]>;
  };
  /** Of executables: whose code is what a symbol says comes from a package of source. */
  readonly sourceOf?: (name: string, packages: readonly NamedPackage[]) => NamedPackage | 'library' | undefined;
}

export interface NamedPackage {
  readonly name: string;
  readonly version: string;
}
