/** Building artifacts. Light: where nothing has changed, nothing more is loaded. */
export { build } from './build';
export { lookForChange } from './look';
import type { Assembly } from '../../languages';
import type { Target } from '../../project/targets';
import type { AssembleOnlyRequest } from './assemble-only';
import type { ChangedLook, LookRequest } from './model';
export type { AssembleOnlyRequest } from './assemble-only';
export type { BuildEvent, BuildRequest, BuiltFunction, BuiltTarget, Look, LookRequest } from './model';

/** Whether a function that looks changed holds what it held. Loaded when it is called. */
export async function isOnlyTouched(request: LookRequest, look: ChangedLook): Promise<boolean> {
  return (await import('./touched')).isOnlyTouched(request, look);
}

/** The files that a target would have, without packing them. Loaded when it is called. */
export async function assembleOnly(request: AssembleOnlyRequest, target: Target): Promise<Assembly> {
  return (await import('./assemble-only')).assembleOnly(request, target);
}

/** Loads what the first build would have to wait for. */
export async function warmUp(): Promise<void> {
  await import('./make');
}
