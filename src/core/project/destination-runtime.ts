/** What a destination says of the runtime of a function. */
import { offeredRuntime, type DestinationRuntime, type FunctionSpec } from '../sheet';
import type { Project } from './targets';

export function runtimeOf(project: Project, spec: FunctionSpec): DestinationRuntime | undefined {
  const destination = project.sheet.destinations[spec.destination];
  return destination === undefined ? undefined : offeredRuntime(destination, spec.runtime);
}
