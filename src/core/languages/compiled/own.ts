/** What is the own of a function that is compiled into an executable: how it is compiled, with what, what is stripped. */
import type { Strip } from '../../formats/elf';
import type { LanguageId, Languages } from '../../sheet';

export const COMPILERS = ['rust', 'go', 'gcc', 'clang'] as const;

/** The compiler that the sheet asks for. */
export interface WantedToolchain {
  readonly text: string;
  readonly compiler: (typeof COMPILERS)[number];
  /** A range of versions, `>=1.63`; undefined for any. */
  readonly range?: string;
}

export interface CompiledKeys {
  /** Rust: the package of a workspace. Go: the package’s folder, `./cmd/solver`. */
  readonly package?: string;
  /** Rust: the program, where the package has several. */
  readonly program?: string;
  readonly features: readonly string[];
  readonly defaultFeatures: boolean;
  readonly tags: readonly string[];
  /** C: patterns of the files to compile. */
  readonly sources: readonly string[];
  readonly flags: readonly string[];
  /** C: libraries to link with, `m`. */
  readonly libraries: readonly string[];
  readonly linkage?: 'static' | 'dynamic';
  readonly cgo: boolean;
  readonly toolchain?: WantedToolchain;
  readonly strip: Strip;
}

/** The languages whose functions become executables. */
export type CompiledId = {
  [Id in LanguageId]: Languages[Id]['keys'] extends CompiledKeys ? Id : never;
}[LanguageId];
