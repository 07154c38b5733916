/** The file set of one target: the function's own files and its packages, trimmed as the sheet asks. */
import { collect, type Survey } from '../../fileset/collect';
import type {
  FileSet,
  LinkedModule,
  MissingImport,
  Overlap,
  SettingRead,
  Trimmed,
  UnseenImport,
} from '../../fileset/model';
import type { HttpClient } from '../../sources';
import { isNative, type Arch, type Entry, type FunctionSpec } from '../../sheet';
import type { Machine } from '../../toolchains/machine';
import { collectRequest } from './build';
import type { LockedPackage, LockedWorkspace } from '../../project/lockfile';
import type { Project } from '../../project/targets';

export interface Assembly {
  readonly fileSet: FileSet;
  readonly packages: readonly LockedPackage[];
  readonly trimmed: readonly Trimmed[];
  readonly overlaps: readonly Overlap[];
  readonly unseen: readonly UnseenImport[];
  /** Imports that lead nowhere, as far as they were followed. */
  readonly missing: readonly MissingImport[];
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
}

export interface AssemblyRequest {
  readonly project: Project;
  readonly spec: FunctionSpec;
  readonly survey: Survey;
  readonly packages: readonly LockedPackage[];
  readonly arch: Arch;
  readonly http: () => Promise<HttpClient>;
  readonly machine: Machine;
  /** Packages of the project itself that it uses. */
  readonly workspaces: readonly LockedWorkspace[];
  /** SHA-256 of source files that have not changed since the last build, by path. */
  readonly knownDigests: ReadonlyMap<string, string>;
  /** Name and version of the program. */
  readonly tool: string;
  /** Threads that may work. */
  readonly jobs: number;
  /** The time that is told to compilers, seconds since 1970. */
  readonly epochSeconds: number;
}

export async function assembleTarget(request: AssemblyRequest): Promise<Assembly> {
  const { project, spec, survey, packages } = request;
  const base = collect(collectRequest(project, spec, packages.length + request.workspaces.length > 0), survey);
  if (spec.runtime.language === 'python') {
    const { assemblePythonTarget } = await import('../../languages/python/target');
    return assemblePythonTarget(request, base);
  }
  if (spec.runtime.language === 'java') {
    const { assembleJvmTarget } = await import('../../languages/jvm/target');
    return assembleJvmTarget(request, base);
  }
  if (isNative(spec.runtime.language)) {
    const { assembleNativeTarget } = await import('../../languages/compiled/target');
    return assembleNativeTarget(request, base);
  }
  const { assembleNodeTarget } = await import('../../languages/node/target');
  return assembleNodeTarget(request, base);
}
