/** What Python sees in an artifact, as rules ask for it. */
import type { Entry } from '../../../sheet';
import type { ViewRequest } from '../../language';
import { pythonArtifact } from './artifact-view';
import { eventReads } from './event-reads';
import { knownFacts } from './facts-memory';
import { otherPlatforms } from '../rules/compiled-names';
import { judgeMember, judgeParameters } from '../rules/entry-member';
import { missingInPython } from '../rules/missing';
import { ownModules, type PythonLanguageView } from '../rules/shared';
import { testOnlyInPython } from '../rules/test-only';
import { unpackedByHand } from '../rules/unlocked';
import { unusedInPython } from '../rules/unused';
import { running } from '../run/running';

/** What interpreters are linked with, so that packages may count on it. */
const LOADED = /^libpython3[\d.]*\.so(?:\.1\.0)?$/;

/** What rules may ask of a Python artifact. */
export function pythonView(request: ViewRequest<'python'>): Promise<PythonLanguageView> {
  const { subject, facts, destination, digestOf, state, runtime } = request;
  const artifact = pythonArtifact({
    entries: subject.entries,
    readText: subject.readText,
    ...(state !== undefined && { factsInMemory: (path: string) => knownFacts(state, digestOf(path) ?? '') }),
  });
  // A file that is missing is another rule's finding.
  const isThere = ({ file }: Entry): boolean => subject.entries.some(({ path }) => path === file);
  const own = (): string[] => ownModules(artifact, facts);
  let platforms: ReadonlyMap<string, string> | undefined;
  return Promise.resolve({
    isProgram: false,
    artifact,
    entryMember: (entry) => (isThere(entry) ? judgeMember(artifact, entry) : undefined),
    parameters: (entry) =>
      judgeParameters(artifact, entry, { readText: subject.readText, hasAdapter: facts.adapter !== undefined }),
    reads: (entry) => eventReads(artifact, entry),
    missing: () => missingInPython(artifact, { facts, destination }),
    unused: (waybill) => unusedInPython(artifact, facts, waybill),
    settings: () => own().flatMap((file) => (artifact.facts(file)?.settings ?? []).map((one) => ({ ...one, file }))),
    texts: () => own().map((path) => subject.readText(path) ?? ''),
    testOnly: () => testOnlyInPython(artifact, facts),
    installed: (waybill) => unpackedByHand(artifact, waybill),
    otherByName: (path) => (platforms ??= otherPlatforms(artifact.paths, facts)).get(path),
    hasLoaded: (library) => LOADED.test(library),
    runtimeIn: (image, env) => running.image.find(image, env, runtime?.version ?? ''),
  });
}
