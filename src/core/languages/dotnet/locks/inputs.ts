/** What the bytes of a .NET function depend on beside its source folder. */
import { NO_INPUTS, type Inputs } from '../../../project/inputs';
import type { Project } from '../../../project/targets';
import type { FunctionSpec } from '../../../sheet';
import { readNeeds } from './needs';
import { projectSources } from '../sources';

/** Everything but the source folder that the bytes of a .NET function depend on. */
export function dependsOn(project: Project, spec: FunctionSpec<'dotnet'>): Inputs {
  const { languages = null, publish } = spec.byLanguage;
  const files = [...(readNeeds(project, spec)?.files ?? []), ...projectSources(project, spec)];
  return { ...NO_INPUTS, files: [...new Set(files)].sort(), values: { languages, publish } };
}
