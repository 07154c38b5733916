/** The work of Node.js functions. What is large is loaded when it is called. */
import { depsDuplicate } from './rules/deps-duplicate';
import { depsScript } from './rules/deps-script';
import { moduleFormatClash } from './rules/module-format-clash';
import { sizeLinked } from './rules/size-linked';
import { runtimeNodeVersion } from './rules/runtime-node-version';
import type { Work } from '../language';
import { readNodeNeeds } from './locks/needs';
import { running } from './run/running';
import { dependsOn } from './assemble/shared-source';

export const nodeWork: Work<'node'> = {
  needs: readNodeNeeds,
  settle: async (request) => (await import('./locks/lock')).settle(request),
  fetchesWhenLocked: false,
  dependsOn,
  isMadeByProcessor: false,
  assemble: async (request, own) => (await import('./assemble/target')).assemble(request, own),
  warm: async () => {
    (await import('./assemble/assembling')).loadTypeScript();
  },
  view: async (request) => (await import('./view/view')).nodeView(request),
  reads: async (subject, entry) => (await import('./view/event-reads')).eventReads(subject, entry),
  rules: [runtimeNodeVersion, moduleFormatClash, depsDuplicate, depsScript, sizeLinked],
  run: running,
};
