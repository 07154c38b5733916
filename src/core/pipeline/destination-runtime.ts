/** What a destination says of the runtime of a function. */
import type { DestinationRuntime, FunctionSpec } from '../sheet';
import type { Project } from './targets';

export function runtimeOf(project: Project, spec: FunctionSpec): DestinationRuntime | undefined {
  return project.sheet.destinations[spec.destination]?.runtimes.find(({ name }) => name === spec.runtime.text);
}
