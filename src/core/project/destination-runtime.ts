/** What a destination says of the runtime of a function. */
import { offeredRuntime, type DestinationRuntime, type FunctionSpec } from '../sheet';
import type { Project } from './targets';

export type Libc = 'glibc' | 'musl';

/** What the destination of a function says of its runtime; undefined where it does not offer it. */
export function runtimeOf(project: Pick<Project, 'sheet'>, spec: FunctionSpec): DestinationRuntime | undefined {
  const destination = project.sheet.destinations[spec.destination];
  return destination === undefined ? undefined : offeredRuntime(destination, spec.runtime);
}

/** The C library that the destination has; where it has both, GNU’s. */
export function libcOf(project: Pick<Project, 'sheet'>, spec: FunctionSpec): Libc {
  const runtime = runtimeOf(project, spec);
  return runtime?.musl !== undefined && runtime.glibc === undefined ? 'musl' : 'glibc';
}
