/** The file set: what goes into an artifact, in order, each file with its mode, where it comes from and why it is there. */
import type { Stamp } from '../disk/stamp';

/** Where a file comes from. */
export type Origin =
  /** `at`: path relative to the project. */
  | { readonly from: 'source'; readonly at: string }
  /** `at`: path in the package's file. */
  | { readonly from: 'package'; readonly name: string; readonly version: string; readonly at: string }
  /** Made by the tool; `by` says by what. */
  | { readonly from: 'generated'; readonly by: string };

/** Why a file is in the artifact. */
export type Reason =
  | { readonly why: 'entry' }
  | { readonly why: 'in-source' }
  | { readonly why: 'kept'; readonly by: string }
  | { readonly why: 'through-link'; readonly by: string }
  /** Part of a package that others ask for: packages, requirements files, the function. */
  | { readonly why: 'needed'; readonly by: readonly string[] }
  /** Reached by tracing: imported by a file, beside a module that is used, or kept whole for what cannot be seen. */
  | { readonly why: 'imported' | 'beside' | 'kept-whole'; readonly by: string }
  /** Made for something: an adapter, a script, a record. */
  | { readonly why: 'made-for'; readonly by: string };

interface Common {
  /** Path in the artifact. */
  readonly path: string;
  /** Permission bits, normalised. */
  readonly mode: number;
  readonly origin: Origin;
  readonly reason: Reason;
}

export interface PackedFile extends Common {
  readonly kind: 'file';
  /** Absolute path to read it from. */
  readonly source: string;
  readonly size: number;
  readonly stamp: Stamp;
  /** SHA-256 in hexadecimal, where it is known without reading. */
  readonly sha256?: string;
}

export interface PackedLink extends Common {
  readonly kind: 'link';
  readonly target: string;
}

export interface PackedFolder extends Common {
  readonly kind: 'folder';
}

export type PackedEntry = PackedFile | PackedLink | PackedFolder;

/** What was not packed, and what left it out. */
export interface LeftOut {
  readonly path: string;
  readonly by:
    | 'version-control'
    | 'editor-litter'
    | 'output-folder'
    | 'earlier-artifact'
    | 'pattern'
    | 'not-reached'
    | 'requirements';
  readonly kind: 'file' | 'folder';
}

/** A file of a package that was taken out, and what by. */
export interface Trimmed {
  readonly path: string;
  readonly size: number;
  readonly package: string;
  readonly by: string;
}

/** A path that two origins claim with different content. */
export interface Overlap {
  readonly path: string;
  /** Whose file is in the artifact, and whose is not. */
  readonly kept: string;
  readonly dropped: string;
}

/** A place whose imports cannot be seen, and what is kept whole for it. */
export interface UnseenImport {
  readonly file: string;
  readonly line: number;
  readonly what: string;
  readonly kept: string;
}

export interface FileSet {
  /** Ordered by the bytes of the archive name. */
  readonly entries: readonly PackedEntry[];
  readonly leftOut: readonly LeftOut[];
}

export const FILE_MODE = 0o644;
export const PROGRAM_MODE = 0o755;
export const LINK_MODE = 0o777;
