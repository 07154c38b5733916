/** The file set: what goes into an artifact, in order, each file with its mode, where it comes from and why it is there. */
import type { Stamp } from '../disk/stamp';

/** Where a file comes from. */
export interface Origin {
  readonly from: 'source';
  /** Path relative to the project. */
  readonly at: string;
}

/** Why a file is in the artifact. */
export type Reason =
  | { readonly why: 'entry' }
  | { readonly why: 'in-source' }
  | { readonly why: 'kept'; readonly by: string }
  | { readonly why: 'through-link'; readonly by: string };

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
  readonly by: 'version-control' | 'editor-litter' | 'output-folder' | 'earlier-artifact' | 'pattern' | 'link-target';
  readonly kind: 'file' | 'folder';
}

export interface FileSet {
  /** Ordered by the bytes of the archive name. */
  readonly entries: readonly PackedEntry[];
  readonly leftOut: readonly LeftOut[];
}

export const FILE_MODE = 0o644;
export const PROGRAM_MODE = 0o755;
export const LINK_MODE = 0o777;
