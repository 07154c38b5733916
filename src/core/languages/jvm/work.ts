/** The work of JVM functions. What is large is loaded when it is called. */
import type { Work } from '../language';
import { dependsOn, readJvmNeeds } from './locks/needs';
import { depsOldName } from './rules/deps-old-name';
import { runtimeJavaVersion } from './rules/runtime-java-version';
import { running } from './run/running';

export const jvmWork: Work<'jvm'> = {
  needs: readJvmNeeds,
  settle: async (request) => (await import('./locks/lock')).settle(request),
  fetchesWhenLocked: false,
  dependsOn,
  isMadeByProcessor: false,
  usesPrograms: () => true,
  assemble: async (request, own) => (await import('./assemble/target')).assemble(request, own),
  view: async (request) => (await import('./view/view')).jvmView(request),
  reads: async (subject, entry) => (await import('./view/event-reads')).eventReads(subject, entry),
  readsAreTyped: true,
  rules: [runtimeJavaVersion, depsOldName],
  run: running,
};
