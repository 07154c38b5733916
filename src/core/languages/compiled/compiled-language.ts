/** What a language says whose functions are compiled into executables; the rest is the same for all of them. */
import type { SettingRead } from '../../fileset/model';
import type { LockedFunction, LockedPackage } from '../../project/lock/lockfile';
import type { Project } from '../../project/targets';
import type { FunctionSpec } from '../../sheet';
import type { Machine } from '../../toolchains/machine';
import type { FoundToolchains, LookedUp, SettleRequest, StatedNeeds } from '../language';
import type { Wanted } from './compile/choose-compiler';
import type { CompilerFiles } from './compile/files';
import type { CompiledId } from './own';
import type { SettingWords } from './source-settings';

export interface CompiledLanguage<Id extends CompiledId = CompiledId> {
  /** Whether the entry is source, so that it has to be compiled; otherwise it is an executable already. */
  isSource(path: string): boolean;
  /** Files that are read when the function is compiled, and not when it runs. */
  readonly files: CompilerFiles;
  /** Source in which settings are looked for, and how it reads them. */
  readonly settings: SettingWords;
  needs(project: Project, spec: FunctionSpec<Id>): StatedNeeds | undefined;
  /** Files of the project that say what is needed, or would if they were there; relative to it. */
  lockFiles(project: Project, spec: FunctionSpec<Id>): readonly string[];
  settle(request: SettleRequest<Id>): Promise<LockedFunction>;
  /** How a function would be compiled. */
  plan(request: CompileRequest<Id>): Promise<Plan>;
  found(machine: Machine): Promise<FoundToolchains>;
  /** Absolute path of the compiler of a function, for each of its processors; undefined where there is none. */
  lookUp(machine: Machine, spec: FunctionSpec<Id>): Promise<LookedUp>;
}

export interface Plan {
  readonly toolchains: readonly string[];
  /** Everything about the compiler that its output depends on. */
  readonly identity: readonly unknown[];
  readonly run: () => Promise<Compiled>;
}

export interface CompileRequest<Id extends CompiledId = CompiledId> extends Wanted<Id> {
  /** The files of the source folder, relative to it, with their SHA-256. */
  readonly files: readonly { readonly path: string; readonly sha256: string }[];
  readonly packages: readonly LockedPackage[];
  /** Absolute path of a package’s file, verified. */
  readonly fetched: (sha256: string, file: string) => Promise<string>;
  /** Absolute paths: an empty folder for this run, and one that stays for the function. */
  readonly scratch: string;
  readonly state: string;
  readonly epochSeconds: number;
  readonly jobs: number;
  readonly doing: string;
  /** Told what the compiler works on. */
  readonly onCompiling: (what: string) => void;
  /** What messages say in place of paths of this machine. */
  readonly shown: (line: string) => string;
}

/** What a compiler made. Absolute paths. */
export interface Compiled {
  readonly executable: string;
  /** The files that it read. */
  readonly read: readonly string[];
  /** Those of them of which nothing is in the program: scripts that run when it is built, tests, examples. */
  readonly aside?: readonly string[];
}

export interface Executable {
  /** Absolute path. */
  readonly source: string;
  readonly size: number;
  readonly sha256: string;
  /** Files of the source folder that the compiler read, relative to it. */
  readonly read: readonly string[];
  readonly settings: readonly SettingRead[];
  readonly toolchains: readonly string[];
}
