/**
 * What a language is: its words and its part of a sheet, which are always at hand, and its work, which is loaded only for
 * functions of it. All that knows a language lies in its folder; everything else asks through what stands here.
 */
import type { FoundRuntime, ImageFiles } from '../disk/unpack/in-image';
import type { DependencyEdges } from '../fileset/edges';
import type {
  FileSet,
  LeftOut,
  LinkedModule,
  MissingImport,
  Overlap,
  PackedEntry,
  SettingRead,
  Trimmed,
  UnseenImport,
} from '../fileset/model';
import type { EventRead } from '../events';
import type { FunctionFacts, Rule, Subject } from '../findings/rule';
import type { LanguageView } from '../findings/view';
import type { Inputs } from '../project/inputs';
import type { LockedFunction, LockedPackage } from '../project/lock/lockfile';
import type { StateFolder, StateKind } from '../project/state/state';
import type { Project } from '../project/targets';
import type { Arch, Destination, Entry, FunctionSpec, LanguageId, ByLanguage, Runtime, SheetLanguage } from '../sheet';
import type { HttpClient } from '../sources';
import type { Machine } from '../toolchains/machine';
import type { CarriedPackage } from '../waybill';
import type { Describing } from './describing';
import type { Profiling } from './load-cost';
import type { PagesKind } from './pages';
import type { Surveyor } from './surveying';
import type { Weighing } from './weighing';

/** Light: always there. */
export interface Language<Id extends LanguageId = LanguageId> extends SheetLanguage<Id> {
  /** What it keeps in the state folder. */
  readonly caches: readonly StateKind[];
  /** Folders of a source that are never packed, by their name: what others take the place of, what a compiler writes. */
  readonly skips?: (isLocked: boolean) => SkippedFolder | undefined;
  /** Other forms in which what was settled can be written, each an option of `lock`. */
  readonly exports?: readonly LockExport[];
  /** Pages of a stand-in index, where its packages come from one. */
  readonly pages?: PagesKind;
  /** Finds its functions in a repository of which nothing is known. */
  readonly survey?: () => Promise<Surveyor>;
  /** What it knows of packages that others published, where it has any. */
  readonly describing?: () => Promise<Describing>;
  /** What it knows of files in artifacts. */
  readonly weighing?: () => Promise<Weighing>;
  /** Keys of the sheet that would make a function's artifact lighter than it is, each with the function as it would be. */
  suggestions?(spec: FunctionSpec<Id>): readonly Suggestion<Id>[];
  readonly open: () => Promise<Work<Id>>;
}

export interface Suggestion<Id extends LanguageId = LanguageId> {
  /** The key. */
  readonly what: string;
  readonly about: string;
  /** As it stands in the sheet. */
  readonly line: string;
  readonly spec: FunctionSpec<Id>;
}

export interface SkippedFolder {
  readonly folder: string;
  readonly by: LeftOut['by'];
}

export interface LockExport {
  /** Name of the option, which takes a path. */
  readonly option: string;
  readonly describe: string;
  /** @param version of the runtime, `3.11` */
  readonly write: (targets: LockedFunction['targets'], version: string) => Promise<string>;
}

/** Heavy: loaded for functions of the language. */
export interface Work<Id extends LanguageId = LanguageId> {
  /**
   * What a function asks of others; undefined where that is nothing.
   * @throws EmballageError REQUIREMENTS_INVALID with every mistake
   */
  needs(project: Project, spec: FunctionSpec<Id>): StatedNeeds | undefined;
  /** Settles that for every architecture. Asked only where there are needs. */
  settle(request: SettleRequest<Id>): Promise<LockedFunction>;
  /** Whether what is settled is fetched then and there, since building fetches nothing. */
  readonly fetchesWhenLocked: boolean;
  /** Everything but the source folder, and what is common to all, that the artifact's bytes depend on. */
  dependsOn(project: Project, spec: FunctionSpec<Id>, locked: LockedFunction | undefined): Inputs;
  /** Whether each processor gets files of its own even without packages, so that each is made by itself. */
  readonly isMadeByProcessor: boolean;
  /** @param own the function's own files, as they lie in its source folder */
  assemble(request: AssemblyRequest<Id>, own: FileSet): Promise<Assembly>;
  /** Whether programs of this machine have a part in the bytes; never, where it does not say. */
  usesPrograms?(spec: FunctionSpec<Id>, project: Pick<Project, 'root'>): boolean;
  /** Files of the project beside the source folder that count, as far as they are known from building it. */
  readonly besides?: Besides;
  /** Loads what the first assembling would have to wait for. */
  warm?(): Promise<void>;
  view(request: ViewRequest<Id>): Promise<LanguageView>;
  /** What the member that is called reads of its event, as far as that can be seen. */
  reads?(subject: Pick<Subject, 'entries' | 'readText' | 'readBytes'>, entry: Entry): Promise<readonly EventRead[]>;
  /** Whether that is what types say, which is certain, and cheap to see. */
  readonly readsAreTyped?: true;
  /** Rules that are about it alone. */
  readonly rules: readonly Rule[];
  readonly run: Running<Id>;
}

/** Paths are relative to the project. */
export interface Besides {
  known(project: Project, spec: FunctionSpec): readonly string[];
  /** Takes in what another machine knows. */
  learn(project: Project, spec: FunctionSpec, files: readonly string[]): void;
}

/** The files that state needs, relative to the project, and a digest of all that settling them depends on. */
export interface StatedNeeds {
  readonly files: readonly string[];
  readonly inputs: string;
}

export interface SettleRequest<Id extends LanguageId = LanguageId> {
  readonly project: Project;
  readonly spec: FunctionSpec<Id>;
  /** What was settled before. */
  readonly known: LockedFunction | undefined;
  /** Names of packages whose locked versions no longer count, as they were written; all of them. */
  readonly upgrade: readonly string[] | 'all';
  readonly http: HttpClient;
  readonly machine: Machine;
  readonly onSettling: (name: string, arch: Arch) => void;
  /** What people should know of the sources that are asked. */
  readonly onNote: (text: string) => void;
}

export interface AssemblyRequest<Id extends LanguageId = LanguageId> {
  readonly project: Project;
  readonly spec: FunctionSpec<Id>;
  readonly arch: Arch;
  /** What was settled; undefined where nothing is needed. */
  readonly locked: LockedFunction | undefined;
  readonly packages: readonly LockedPackage[];
  /** For packages that are not in the store. */
  readonly http: () => Promise<HttpClient>;
  readonly machine: Machine;
  /** SHA-256 of source files that have not changed since the last build, by path. */
  readonly knownDigests: ReadonlyMap<string, string>;
  /** Threads that may work. */
  readonly jobs: number;
  /** Told what a compiler works on, where it says so. */
  readonly onCompiling: (what: string) => void;
  /** The time that is told to compilers, seconds since 1970. */
  readonly epochSeconds: number;
}

/** What goes into an artifact, and what is told of it. */
export interface Assembly {
  readonly fileSet: FileSet;
  readonly packages: readonly LockedPackage[];
  readonly trimmed: readonly Trimmed[];
  readonly overlaps: readonly Overlap[];
  readonly unseen: readonly UnseenImport[];
  /** Imports that lead nowhere, as far as they were followed. */
  readonly missing: readonly MissingImport[];
  /** Everybody who asks for something, where that was traced. */
  readonly edges?: DependencyEdges;
  /** Modules that are inside another file of the artifact. */
  readonly modules: readonly LinkedModule[];
  /** SHA-256 of source files, by path, as far as they were read for it. */
  readonly sourceDigests: ReadonlyMap<string, string>;
  /** Programs whose output is in the artifact. */
  readonly toolchains: readonly string[];
  /** What the host calls. */
  readonly hostEntry: Entry;
  /** Settings that the function’s own code reads, where the artifact does not show it. */
  readonly settings?: readonly SettingRead[];
  /** What the waybill carries of the language's own: of a package, and of the whole. */
  readonly carriedOf?: (one: LockedPackage) => Pick<CarriedPackage, LanguageId>;
  readonly carried?: ByLanguage<'carried'>;
}

export interface ViewRequest<Id extends LanguageId = LanguageId> {
  readonly subject: Omit<Subject, 'view'>;
  /** What is known of the function. */
  readonly facts: FunctionFacts;
  readonly runtime: Pick<Runtime<Id>, 'version' | 'offered'> | undefined;
  readonly destination: Destination;
  /** SHA-256 of a file of the artifact, where it is known without reading. */
  readonly digestOf: (path: string) => string | undefined;
  /** Where facts are kept; they are read again without it. */
  readonly state: StateFolder | undefined;
  readonly machine: Machine;
  /** Threads that may work. */
  readonly jobs: number;
}

/** How functions of a language are run: here, in an image, and what for. */
export interface Running<Id extends LanguageId = LanguageId> {
  /** The runtimes and compilers here, as `toolchains` shows them. */
  found(machine: Machine): Promise<FoundToolchains>;
  /** Whether a function has its own here, and what to do otherwise. */
  lookUp(machine: Machine, spec: FunctionSpec<Id>): Promise<LookedUp>;
  /**
   * What runs a function here.
   * @throws EmballageError TOOLCHAIN_MISSING
   */
  choose(machine: Machine, spec: Pick<FunctionSpec<Id>, 'runtime'>): Promise<ChosenRuntime>;
  readonly host: HostRun;
  readonly image: ImageRun<Id>;
}

export interface FoundToolchains {
  readonly rows: readonly ToolchainRow[];
  /** For programs, by the name under which they stand in the document. */
  readonly document: Readonly<Record<string, unknown>>;
  /** What cannot be done here for want of something, and how to get it. */
  readonly missing?: readonly MissingToolchain[];
}

export interface ToolchainRow {
  readonly name: string;
  readonly version: string;
  readonly path: string;
  /** `runs functions of runtime`, `compiles for`. */
  readonly does: string;
  readonly what: string;
}

export interface MissingToolchain {
  readonly what: string;
  readonly mend: string;
}

export interface LookedUp {
  readonly runtime: string;
  readonly found: boolean;
  readonly path: string | null;
  readonly mend: string;
}

export interface ChosenRuntime {
  /** Absolute path of the program; undefined where the artifact is an executable itself. */
  readonly program?: string;
  /** What to remark: it is not the very runtime that was asked for. */
  readonly remark?: string;
}

/** How the stand-in host starts a function. */
export interface HostRun {
  /** Absolute path of what calls the function in the runtime; undefined where it speaks for itself, a line an event. */
  readonly runner?: string;
  /** What has to lie beside that: texts by name. @param root absolute path of the unpacked artifact */
  beside?(root: string): Readonly<Record<string, string>>;
  /** The artifact is not unpacked, but lies beside under this name. */
  readonly wholeAs?: string;
  /** What stands on the command line behind the runtime's program. */
  args(start: HostStart): string[];
  /** What the runner is told of the place of the entry; absolute paths. */
  load(start: Pick<HostStart, 'root'>, file: string): { readonly file: string; readonly className?: string };
  /** What the runtime writes before it ends for want of memory. */
  readonly fullHeap?: string;
  /** Lines of stack traces that are the runtime's own, or the runner's. */
  readonly frames?: RegExp;
  /** What an error of the runtime's own means, where its text alone does not help. */
  explain?(thrown: Thrown): Explained | undefined;
  /** How its start is looked at, part by part. */
  readonly profile?: Profiling;
  /** What the runner notes of modules, where it does. */
  readonly notes?: NotedModules;
}

export interface Thrown {
  readonly name: string;
  /** What it says was not there, where the runner can tell. */
  readonly missing?: string;
}

export interface Explained {
  readonly expected: string;
  readonly found: string;
  readonly mend: string;
}

export interface NotedModules {
  /** Whether a file is a module that the runner would note. */
  isModule(path: string): boolean;
  /** The name by which code asks for a file. */
  nameOf(path: string): string;
}

export interface HostStart {
  /** Absolute paths of the runtime's program, of the copy of the runner, and of the unpacked artifact. */
  readonly program?: string;
  readonly runner: string;
  readonly root: string;
  readonly memoryBytes: number;
}

/** How an image starts a function, and what it stands on. */
export interface ImageRun<Id extends LanguageId = LanguageId> {
  /** What calls the function in the image: absolute path here, and its name there; undefined for an executable. */
  readonly starter?: { readonly path: string; readonly name: string };
  /** What the starter is told of the entry. */
  plan(entry: Entry): Readonly<Record<string, string>>;
  /** The command, with absolute paths in the image. */
  command(start: ImageStart): string[];
  /** The runtime in an image. @param env of its configuration, `NAME=value` each */
  find(files: ImageFiles, env: readonly string[], version: string): FoundRuntime | undefined;
  /** What of this machine can be the base of a function's image; undefined where it is not here. */
  base(machine: Machine, spec: FunctionSpec<Id>): Promise<RuntimeFiles | undefined>;
  /** The entries as they lie in the image, where that is not as in the archive. */
  entries?(entries: readonly PackedEntry[], version: string): readonly PackedEntry[];
}

export interface ImageStart {
  readonly program: string | undefined;
  /** Absolute paths of the folders of the starter and of the function. */
  readonly starters: string;
  readonly root: string;
  readonly hostEntry: Entry;
}

/** A runtime of this machine as the base of an image. */
export interface RuntimeFiles {
  /** What it is: `node 20.20.2 of this machine`. */
  readonly from: string;
  /** Path in the image and absolute path here. */
  readonly program?: readonly [string, string];
  /** A folder that is taken whole: path in the image, absolute path here, and names in it that are not taken. */
  readonly folder?: readonly [string, string, RegExp];
  /** Files of it that it does without where their libraries are not there. */
  readonly optional?: RegExp;
  readonly env?: readonly string[];
}
