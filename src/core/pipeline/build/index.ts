/** Building artifacts. Light: where nothing has changed, nothing more is loaded. */
export { build } from './build';
export { lookForChange } from './status';
import type { Assembly } from '../../languages';
import type { FileSet } from '../../fileset/model';
import type { Project, Target } from '../../project/targets';
import type { FunctionSpec } from '../../sheet';
import type { AssembleOnlyRequest } from './assemble-only';
import type { ChangedStatus, StatusRequest } from './model';
export type { AssembleOnlyRequest } from './assemble-only';
export type { BuildEvent, BuildRequest, BuiltFunction, BuiltTarget, BuildStatus, StatusRequest } from './model';

/** Whether a function that looks changed holds what it held. Loaded when it is called. */
export async function isOnlyTouched(request: StatusRequest, status: ChangedStatus): Promise<boolean> {
  return (await import('./touched')).isOnlyTouched(request, status);
}

/** The files that a target would have, without packing them. Loaded when it is called. */
export async function assembleOnly(request: AssembleOnlyRequest, target: Target): Promise<Assembly> {
  return (await import('./assemble-only')).assembleOnly(request, target);
}

/** Loads what the first build would have to wait for. */
export async function warmUp(): Promise<void> {
  await import('./make');
}

/** The function's own files, as they lie in its source folder. Loaded when it is called. */
export async function sourceFiles(project: Project, spec: FunctionSpec, isLocked: boolean): Promise<FileSet> {
  const [{ collectRequest }, { collect, surveySource }] = await Promise.all([
    import('./careful-status'),
    import('../../fileset/collect'),
  ]);
  const request = collectRequest(project, spec, isLocked);
  return collect(request, surveySource(request));
}
