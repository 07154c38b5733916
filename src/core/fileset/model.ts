/** The file set: what goes into an artifact, in order, each file with its mode, where it comes from and why it is there. */
import type { Stamp } from '../disk/stamp';

/** Files from elsewhere in the project, named in the sheet. */
export interface Include {
  /** A file, a folder with all that is in it, or a pattern; relative to the project. */
  readonly files: string;
  /** Folder inside the artifact; '' for its top. */
  readonly inside: string;
}

/** Where a file comes from. */
export type Origin =
  /** `at`: path relative to the project. */
  | { readonly from: 'source'; readonly at: string }
  /** `at`: path in the package's file. */
  | { readonly from: 'package'; readonly name: string; readonly version: string; readonly at: string }
  /** From a package that was found installed: nothing says that it is the same elsewhere. */
  | { readonly from: 'unlocked'; readonly name: string; readonly at: string }
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
  /** Reached by tracing: imported or named by a file, beside a module that is used, or kept whole for what cannot be seen. */
  | { readonly why: 'imported' | 'named' | 'beside' | 'kept-whole'; readonly by: string }
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
  /** Its content is a stretch of `source`, compressed as it will stand in the archive; then `sha256` is known. */
  readonly packed?: PackedContent;
}

export interface PackedContent {
  readonly at: number;
  readonly length: number;
  /** Compression method of the zip format: 0 or 8. */
  readonly method: number;
  readonly crc32: number;
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
    | 'requirements'
    /** Settings of the compiler, and files that only it reads. */
    | 'compiler'
    /** Packages in the source folder, where the lock has others. */
    | 'installed'
    /** The form of the artifact has no room for it. */
    | 'form'
    /** Holds logins: never packed, not even when it is kept. */
    | 'login-file';
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

/** A file whose content will not change. */
export interface StoredContent {
  /** Absolute path. */
  readonly source: string;
  readonly sha256: string;
  readonly size: number;
}

export interface LinkedPlace {
  readonly file: string;
  readonly bytes: number;
}

/** A module that is inside another file of the artifact, where several were linked into one. */
export interface LinkedModule {
  readonly path: string;
  /** Bytes of its source. */
  readonly size: number;
  /** The file that it is in, and what it takes there; in its own form, and without what could go. */
  readonly inside: LinkedPlace;
  readonly origin: Origin;
  readonly reason: Reason;
  /** Settings that it reads; only for the function's own. */
  readonly settings?: readonly { readonly name: string; readonly line: number; readonly hasDefault: boolean }[];
  /** Where packages lie that it asks for; only for the function's own. */
  readonly packages?: readonly string[];
}

/** A place in the function's own code that reads a setting. */
export interface SettingRead {
  readonly name: string;
  readonly file: string;
  readonly line: number;
  readonly hasDefault: boolean;
}

/** An import that leads nowhere. */
export interface MissingImport {
  readonly file: string;
  readonly line: number;
  readonly specifier: string;
  /** What was looked for. */
  readonly why: string;
  /** What is there instead. */
  readonly near?: string;
  /** Whether it runs when its module is loaded, in a `try`, or only later if at all. */
  readonly guard: 'none' | 'try' | 'lazy';
}

export interface FileSet {
  /** Ordered by the bytes of the archive name. */
  readonly entries: readonly PackedEntry[];
  readonly leftOut: readonly LeftOut[];
}

export const FILE_MODE = 0o644;
export const PROGRAM_MODE = 0o755;
export const LINK_MODE = 0o777;
