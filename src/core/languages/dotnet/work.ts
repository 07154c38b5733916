/** The work of .NET functions. What is large is loaded when it is called. */
import type { Work } from '../language';
import { dependsOn } from './locks/inputs';
import { projectFileOf, readNeeds } from './locks/needs';
import { archPublishedFor } from './rules/arch-published-for';
import { buildDebug } from './rules/build-debug';
import { reproBuildMarks } from './rules/repro-build-marks';
import { runtimeDotnetVersion } from './rules/runtime-dotnet-version';
import { running } from './run/running';

export const dotnetWork: Work<'dotnet'> = {
  needs: readNeeds,
  settle: async (request) => (await import('./locks/lock')).settle(request),
  fetchesWhenLocked: false,
  dependsOn,
  isMadeByProcessor: true,
  usesPrograms: (spec, project) => projectFileOf(project, spec) !== undefined,
  assemble: async (request, own) => (await import('./assemble/target')).assemble(request, own),
  view: async (request) => (await import('./view/view')).dotnetView(request),
  rules: [runtimeDotnetVersion, archPublishedFor, buildDebug, reproBuildMarks],
  run: running,
};
