/** What Node.js sees in an artifact, as rules ask for it. */
import type { FunctionFacts, Subject } from '../../../findings/rule';
import { offeredRuntime, type Entry } from '../../../sheet';
import type { ViewRequest } from '../../language';
import { viewNodeArtifact, type NodeView } from './artifact-view';
import { KEPT } from '../caches';
import { eventReads } from './event-reads';
import { judgeMember, judgeParameters } from '../rules/entry-member';
import { installedPackages } from '../rules/installed';
import { missingInNode } from '../rules/missing';
import { ownNodeModules, type NodeLanguageView } from '../rules/shared';
import { testOnlyInNode } from '../rules/test-only';
import { unusedInNode } from '../rules/unused';
import { running } from '../run/running';
import { requiresEsm } from '../locks/versions';

/** What rules may ask of a Node.js artifact. */
export async function nodeView(request: ViewRequest<'node'>): Promise<NodeLanguageView> {
  const { subject, facts, runtime } = request;
  const node = await trace(request);
  // A file that is missing is another rule's finding.
  const isThere = ({ file }: Entry): boolean => subject.entries.some(({ path }) => path === file);
  return {
    isProgram: false,
    node,
    entryMember: (entry) => (isThere(entry) ? judgeMember(subject, entry) : undefined),
    parameters: (entry) => judgeParameters(subject, entry, facts.adapter !== undefined),
    reads: (entry) => eventReads(subject, entry),
    missing: () => missingInNode(node, facts),
    unused: (waybill) => unusedInNode(node, facts, waybill),
    installed: installedPackages,
    testOnly: () => testOnlyInNode(filesOf(subject), node, facts),
    settings: () => settingsRead(node, facts),
    texts: () => ownTexts(node, subject, facts),
    runtimeIn: (image, env) => running.image.find(image, env, runtime?.version ?? ''),
  };
}

function filesOf({ entries }: Pick<Subject, 'entries'>): string[] {
  return entries.filter(({ kind }) => kind === 'file').map(({ path }) => path);
}

/** What loading the entry reaches; undefined where the entry, or the runtime, is not known. */
async function trace(request: ViewRequest<'node'>): Promise<NodeView | undefined> {
  const { subject, facts, runtime, destination, digestOf, state, jobs } = request;
  const { entry, settings, name = '' } = facts;
  if (runtime === undefined || entry === undefined) return undefined;
  return viewNodeArtifact({
    paths: filesOf(subject),
    readText: subject.readText,
    digestOf,
    entry: entry.file,
    requiresEsm: requiresEsm(Number(runtime.version), offeredRuntime(destination, runtime)?.patch),
    nodeEnv: settings?.find((one) => one.name === 'NODE_ENV')?.sample,
    book: state?.file(KEPT.modules, `${name}.check.book`),
    threads: jobs,
  });
}

function settingsRead(node: NodeView | undefined, facts: FunctionFacts) {
  const inFiles = ownNodeModules(node, facts).flatMap((file) =>
    (node?.factsOf(file)?.settings ?? []).map((one) => ({ ...one, file })),
  );
  const inModules = (facts.waybill?.modules ?? []).flatMap(({ path, settings = [] }) =>
    settings.map((one) => ({ ...one, file: path })),
  );
  return [...inFiles, ...inModules];
}

/** Linked modules are texts of the file that they were linked into. */
function ownTexts(node: NodeView | undefined, { readText }: Pick<Subject, 'readText'>, facts: FunctionFacts): string[] {
  const { waybill } = facts;
  const linked = waybill?.modules.length ? [waybill.entry.loads.file] : [];
  return [...ownNodeModules(node, facts), ...linked].map((path) => readText(path) ?? '');
}
