/** The file set of one target: the function's own files and its packages, trimmed as the sheet asks. */
import { collect, type Survey } from '../fileset/collect';
import type { FileSet, Overlap, Trimmed, UnseenImport } from '../fileset/model';
import type { HttpClient } from '../sources';
import type { Arch, Entry, FunctionSpec } from '../sheet';
import type { Machine } from '../toolchains/machine';
import { collectRequest } from './build';
import type { LockedPackage } from './lockfile';
import type { Project } from './targets';

export interface Assembly {
  readonly fileSet: FileSet;
  readonly packages: readonly LockedPackage[];
  readonly trimmed: readonly Trimmed[];
  readonly overlaps: readonly Overlap[];
  readonly unseen: readonly UnseenImport[];
  /** Programs whose output is in the artifact. */
  readonly toolchains: readonly string[];
  /** What the host calls. */
  readonly hostEntry: Entry;
}

export interface AssemblyRequest {
  readonly project: Project;
  readonly spec: FunctionSpec;
  readonly survey: Survey;
  readonly packages: readonly LockedPackage[];
  readonly arch: Arch;
  readonly http: () => Promise<HttpClient>;
  readonly machine: Machine;
}

export async function assembleTarget(request: AssemblyRequest): Promise<Assembly> {
  const { project, spec, survey, packages } = request;
  const base = collect(collectRequest(project, spec), survey);
  if (spec.runtime.language === 'python') {
    const { assemblePythonTarget } = await import('./assemble-python');
    return assemblePythonTarget(request, base);
  }
  return { fileSet: base, packages, trimmed: [], overlaps: [], unseen: [], toolchains: [], hostEntry: spec.entry };
}
