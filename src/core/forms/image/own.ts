/** What images add to the sheet, settled. */

/** What an image stands on. */
export type Base =
  /** Nothing: for executables that need no libraries. */
  | { readonly kind: 'empty' }
  /** An image at a registry. */
  | { readonly kind: 'image'; readonly reference: string; readonly plainHttp: boolean }
  /** An image layout, a folder or a tar archive; `{arch}` stands for the architecture. */
  | { readonly kind: 'layout'; readonly path: string; readonly tag?: string }
  /** A root file system, a folder or a tar archive; `{arch}` stands for the architecture. */
  | { readonly kind: 'root'; readonly path: string }
  /** What this machine has: a runtime by its word, or `libc`, and the libraries that it needs. */
  | { readonly kind: 'runtime'; readonly runtime: string };

/** A layer of its own. */
export interface LayerKey {
  readonly name: string;
  readonly files: readonly string[];
}

export interface ImageKeys {
  readonly base: Base;
  /** Layers for some of the files, the lowest first; what fits none is cut as usual. */
  readonly layers: readonly LayerKey[];
  /** Everything in one layer. */
  readonly isWhole: boolean;
  /** User and group by number, `65534:65534`. */
  readonly user: string;
  readonly labels: Readonly<Record<string, string>>;
}
