/** The work of Python functions. What is large is loaded when it is called. */
import type { Work } from '../language';
import { dependsOn, readNeeds } from './locks/needs';
import { runtimePythonVersion } from './rules/runtime-python-version';
import { running } from './run/running';

export const pythonWork: Work<'python'> = {
  needs: readNeeds,
  settle: async (request) => (await import('./locks/lock')).settle(request),
  fetchesWhenLocked: false,
  dependsOn,
  isMadeByProcessor: false,
  usesPrograms: (spec) => spec.byLanguage.bytecode,
  assemble: async (request, own) => (await import('./assemble/target')).assemble(request, own),
  view: async (request) => (await import('./view/view')).pythonView(request),
  reads: async (subject, entry) => (await import('./view/event-reads')).eventReadsIn(subject, entry),
  rules: [runtimePythonVersion],
  run: running,
};
