/** What surveying a repository asks of a language, and what it gets. Plain data but for the tree and the machine. */
import type { Speech } from '../../events';
import type { Machine } from '../../toolchains/machine';

/** A repository as it was walked: what version control ignores is not in it. Paths are relative, with `/`. */
export interface SurveyedTree {
  /** Absolute path. */
  readonly root: string;
  /** Names of files by folder, '' for the root; both in order. */
  readonly folders: ReadonlyMap<string, readonly string[]>;
  has(path: string): boolean;
  /** Text of a file; undefined where it is not there, cannot be read, is no UTF-8 or larger than source is. */
  text(path: string): string | undefined;
  /** Paths of files in a folder and below it. */
  below(folder: string): Iterable<string>;
}

export interface SurveyRequest {
  readonly tree: SurveyedTree;
  readonly machine: Machine;
  /** What could not be read, or was looked at and is no function; in a sentence. */
  readonly onNote: (note: SurveyNote) => void;
}

export interface SurveyNote {
  /** Path of a file or folder. */
  readonly where: string;
  readonly text: string;
}

export interface Reasoned {
  readonly value: string;
  readonly why: string;
}

export interface EntryCandidate {
  /** As the sheet has it, `intake.py#receive`. */
  readonly entry: string;
  readonly why: string;
  /** The higher, the likelier. */
  readonly points: number;
  /** The interface of web applications that it has. */
  readonly adapter?: Reasoned;
}

export interface SurveyedSetting {
  readonly name: string;
  /** Relative to the repository. */
  readonly file: string;
  readonly line: number;
  readonly hasDefault: boolean;
}

/** A value of the sheet, as plain data, and why it is there. */
export interface SurveyedKey {
  readonly key: string;
  readonly value: unknown;
  readonly why: string;
}

export interface SurveyedFunction {
  /** What it may be called. */
  readonly name: string;
  /** Folder, relative to the repository. */
  readonly source: string;
  /** File that the entry is in, relative to the repository. */
  readonly file: string;
  /** The version is the likeliest; `fits` tells of others. */
  readonly runtime: Reasoned & { readonly fits: (version: string) => boolean };
  /** The likeliest first; at least one. */
  readonly entries: readonly [EntryCandidate, ...EntryCandidate[]];
  /** What a program that runs by itself understands; without it, either. */
  readonly speech?: Speech;
  /** Where requirements stand; a remark only where they are found by themselves. */
  readonly needs?: { readonly value?: string | readonly string[]; readonly why: string };
  readonly keys: readonly SurveyedKey[];
  readonly settings: readonly SurveyedSetting[];
  /** What somebody has to do before it can be locked or built. */
  readonly lacking: readonly string[];
}

/** A function that a sheet has already. */
export interface KnownFunction {
  readonly source: string;
  /** Its file is relative to the source. */
  readonly entry: { readonly text: string; readonly file: string; readonly member: string };
}

export interface LookedAt {
  /** `unseen`: reading does not tell. */
  readonly entry: 'there' | 'gone' | 'unseen';
  /** What was found instead, where it is gone: the file, or members. */
  readonly found: string;
  /** What it could be, the likeliest first. */
  readonly entries: readonly EntryCandidate[];
  readonly settings: readonly SurveyedSetting[];
  /** Whether code that nobody sees here may read settings too. */
  readonly hasPackages: boolean;
}

/** Heavy: loaded for a survey. */
export type Surveyor = (request: SurveyRequest) => Survey;

export interface Survey {
  find(): Promise<readonly SurveyedFunction[]>;
  look(known: KnownFunction): LookedAt;
}
