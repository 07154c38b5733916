/** Building artifacts. Light: where nothing has changed, nothing more is loaded. */
export { build } from './build';
export { lookForChange } from './look';
export type { BuildEvent, BuildRequest, BuiltFunction, BuiltTarget, Look, LookRequest } from './model';

/** Loads what the first build would have to wait for. */
export async function warmUp(): Promise<void> {
  await import('./make');
}
