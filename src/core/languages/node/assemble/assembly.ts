/** What putting packages and the function's own files together takes and gives, and what linking asks of it. */
import type { DependencyEdges } from '../../../fileset/edges';
import type { LinkedPlace, MissingImport, Reason, Trimmed, UnseenImport } from '../../../fileset/model';
import type { Trim } from '../../../sheet';
import type { FunctionCompiler } from '../compile/settings';
import type { Frame } from '../link/parts';
import type { Section } from '../link/section';
import type { Sourcemap } from '../own';
import type { Resolver } from '../resolve/resolver';
import type { ModuleFacts } from '../trace/facts';
import type { ModulePool } from '../trace/threads/module-pool';
import type { Modules } from '../trace/modules';
import type { Trace } from '../trace/model';
import type { Mentions } from './trim-safe';

/** A file that may go into the artifact. */
export interface NodeFile {
  /** Path in the artifact, by the name that it has as a source. */
  readonly path: string;
  /** Absolute path of its content. */
  readonly source: string;
  readonly sha256: () => string;
  readonly size: number;
  /** '' for the function's own, else where its package lies in the artifact. */
  readonly owner: string;
  /** What may be compiled: the function's own files, and those of packages of the project. */
  readonly isOwn: boolean;
  /** It belongs to a package that was installed, not locked. */
  readonly isInstalled?: boolean;
}

export interface NodeAssembleRequest {
  /** Sorted by path. */
  readonly files: readonly NodeFile[];
  readonly trim: Trim;
  /** Whether only what imports are seen to reach is wanted. */
  readonly isStrict: boolean;
  /** Where packages lie that the function itself asks for; undefined where its package.json has to say it. */
  readonly asked: readonly string[] | undefined;
  readonly entry: { readonly file: string; readonly member: string };
  /** The `keep` pattern that wants a path. */
  readonly keptBy: (path: string) => string | undefined;
  readonly cpu: 'x64' | 'arm64';
  readonly libc: 'glibc' | 'musl';
  readonly requiresEsm: boolean;
  readonly nodeEnv: string | undefined;
  readonly link: boolean;
  readonly minify: boolean;
  readonly sourcemap: Sourcemap;
  readonly compiler: FunctionCompiler | undefined;
  readonly modules: Modules;
  /** Works on modules with all cores. */
  readonly pool: ModulePool;
  /** What the code of a package says of its files, from a memory where there is one. */
  readonly mentionsOf: (owner: string, read: () => Mentions) => Mentions;
  /** What source maps call a file. */
  readonly sourceName: (path: string) => string;
}

export interface NodePlaced {
  readonly path: string;
  /** The file that it is, or is made from; undefined for what is linked. */
  readonly file?: NodeFile;
  /** What was made of it; the file as it is otherwise. */
  readonly text?: string;
  readonly reason: Reason;
}

export interface LinkedPart {
  readonly file: NodeFile;
  readonly inside: LinkedPlace;
  readonly reason: Reason;
  readonly settings: ModuleFacts['settings'];
  /** Where packages lie that it asks for. */
  readonly packages: readonly string[];
}

export interface NodeAssembled {
  readonly placed: readonly NodePlaced[];
  readonly trimmed: readonly Trimmed[];
  /** Own files that are not reached. */
  readonly dropped: readonly string[];
  readonly unseen: readonly UnseenImport[];
  readonly missing: readonly MissingImport[];
  /** Who asks for what; linked modules by the names of their sources, all else by those in the artifact. */
  readonly edges: DependencyEdges;
  /** Modules that are inside the linked file. */
  readonly linked: readonly LinkedPart[];
  /** What the host loads. */
  readonly entryFile: string;
}

/** What linked files are made of. */
export interface LinkedParts {
  readonly frames: readonly Frame[];
  readonly sections: readonly Section[];
}

/** The assembling of one function, as its parts see each other. Paths are those of sources. */
export interface Assembling {
  readonly request: NodeAssembleRequest;
  readonly files: ReadonlyMap<string, NodeFile>;
  readonly resolver: Resolver;
  /** What Node.js itself would find, without a compiler's help. */
  readonly strict: Resolver;
  /** Modules and files that are packed, where linking left out others; set by it. */
  packed: ReadonlySet<string> | undefined;
  /** What the linked files are made of; set by linking. */
  readonly linked: LinkedParts | undefined;
  reasonOf(path: string, trace: Trace | undefined): Reason;
  factsOf(path: string): ModuleFacts | undefined;
  /** Where a file lies in the artifact when it has been compiled. */
  emitted(path: string): string;
  /** A file as a person wrote it. */
  writtenText(path: string): string;
}
