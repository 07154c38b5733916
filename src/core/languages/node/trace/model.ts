/** What tracing modules takes and gives. */
import type { DependencyEdges } from '../../../fileset/edges';
import type { UnseenImport } from '../../../fileset/model';
import type { Resolver } from '../resolve/resolver';
import type { ModuleFacts, ModuleRequest } from './facts';

export interface Reach {
  /** `import`: a module. `file`: a file that a module names. `whole`: kept for what cannot be seen. `beside`: package.json. `asked`: by the function itself. `hinted`: a text names it. */
  readonly how: 'entry' | 'import' | 'file' | 'whole' | 'beside' | 'kept' | 'asked' | 'hinted';
  /** The file that asks for it; a place for `whole`. */
  readonly by: string;
}

/** One request and where it leads. */
export interface Edge {
  readonly request: ModuleRequest;
  /** Files that it reaches; several for a pattern. */
  readonly targets: readonly string[];
  readonly builtin?: string;
  /** It never runs, but Node.js reads the names of a CommonJS module from there. */
  readonly isForNames?: true;
}

export interface MissingModule {
  readonly from: string;
  readonly request: ModuleRequest;
  readonly why: string;
  readonly near?: string;
}

export interface Trace {
  readonly reached: ReadonlyMap<string, Reach>;
  readonly edges: ReadonlyMap<string, readonly Edge[]>;
  readonly unseen: readonly UnseenImport[];
  readonly missing: readonly MissingModule[];
  /** Everybody who asks for each, not only the first. */
  readonly dependencies: DependencyEdges;
}

export interface TraceRequest {
  /** All files, sorted. */
  readonly files: readonly string[];
  readonly resolver: Resolver;
  /** Modules at which tracing starts, with the reason. */
  readonly roots: readonly (readonly [path: string, reach: Reach])[];
  /** Reads modules, so that their facts can be asked for. */
  readonly load: (paths: readonly string[]) => Promise<void>;
  readonly factsOf: (path: string) => ModuleFacts | undefined;
  /** The value of NODE_ENV that is known to be set. */
  readonly nodeEnv: string | undefined;
  /** The package that a file belongs to: '' for the function itself, else where it lies. */
  readonly ownerOf: (path: string) => string;
  /** What is kept of an owner when not all of it can be seen; its files otherwise. */
  readonly isCode: (path: string) => boolean;
  /** What leads to modules besides imports that can be seen; nothing where undefined. */
  readonly hints?: Hints;
}

export interface Hints {
  /** Where packages lie that the function itself asks for. */
  readonly asked: readonly string[];
  /** Whether all of the function's own code is kept where something loads what cannot be seen. */
  readonly keepsOwn: boolean;
}
