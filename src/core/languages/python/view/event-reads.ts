/** What a member reads of the event that it is called with. */
import type { EventRead } from '../../../events';
import type { Entry } from '../../../sheet';
import { pythonArtifact, type ArtifactFiles, type PythonArtifact } from './artifact-view';
import { findPythonMember } from './entry';

/** What the member that is called reads of its event, as far as its body shows it. */
export function eventReads(artifact: PythonArtifact, { file, member }: Entry): readonly EventRead[] {
  const verdict = findPythonMember(artifact, file, member);
  return verdict.kind === 'found' && verdict.member.kind === 'function' ? verdict.member.reads : [];
}

/** The same of an artifact of which nothing else is looked at. */
export function eventReadsIn(files: ArtifactFiles, entry: Entry): readonly EventRead[] {
  return eventReads(pythonArtifact(files), entry);
}
