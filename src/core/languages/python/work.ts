/** The work of Python functions. What is large is loaded when it is called. */
import type { Work } from '../language';
import { dependsOn, readNeeds } from './needs';
import { runtimePythonVersion } from './rules/runtime-python-version';
import { running } from './run/running';

export const pythonWork: Work<'python'> = {
  needs: readNeeds,
  settle: async (request) => (await import('./lock')).settle(request),
  fetchesWhenLocked: false,
  dependsOn,
  isMadeByProcessor: false,
  usesPrograms: (spec) => spec.own.bytecode,
  assemble: async (request, own) => (await import('./target')).assemble(request, own),
  view: async (request) => (await import('./view')).pythonView(request),
  reads: async (subject, entry) => (await import('./event-reads')).eventReadsIn(subject, entry),
  rules: [runtimePythonVersion],
  run: running,
};
