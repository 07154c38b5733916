import { printable } from '../base/text';
import { sourceOfBytes } from '../formats/byte-source';
import { openZip } from '../formats/zip';
import { findings, type Finding, type Rule, type Subject, type SubjectEntry } from '../findings/rule';

const MAX_INNER_BYTES = 512 * 1024 * 1024;
const SAME_SHARE = 0.5;

export const layoutStaleArtifact: Rule = {
  id: 'layout/stale-artifact',
  level: 'stop',
  title: 'No earlier artifact of the function is packed inside it',
  why: 'An archive that was left in the source folder is packed again with the next one, which doubles with every build.',
  mend: 'Delete the archive from the source folder, or name it under `leave-out`.',
  needs: [],
  check({ subject, facts: { entry } }) {
    const archives = subject.entries.filter((e) => e.kind === 'file' && /\.(zip|jar)$/i.test(e.path));
    return findings(...archives.flatMap((archive) => judge(subject, archive, entry?.file) ?? []));
  },
};

function judge(subject: Subject, archive: SubjectEntry, entryFile: string | undefined): Finding | undefined {
  const bytes = subject.readBytes(archive.path, MAX_INNER_BYTES);
  if (bytes === undefined) return undefined;
  let inner;
  try {
    inner = openZip(sourceOfBytes(bytes), archive.path);
  } catch {
    // No archive in spite of its name: then it is no artifact either.
    return undefined;
  }
  const outer = new Set(subject.entries.map((e) => e.path));
  const files = inner.entries
    .filter((e) => e.kind === 'file')
    .map((e) => e.path.replace(/^[^/]+\/(?=.)/, (top) => (outer.has(top) ? top : '')));
  const same = inner.entries.filter((e) => e.kind === 'file' && outer.has(e.path)).length;
  const hasEntry = entryFile !== undefined && files.includes(entryFile);
  if (!inner.ours && !hasEntry && (files.length === 0 || same / files.length < SAME_SHARE)) return undefined;
  return {
    level: 'stop',
    where: printable(archive.path),
    expected: 'source files only',
    found: inner.ours
      ? 'an artifact that Emballage made'
      : `an archive with the same files${hasEntry ? `, \`${printable(entryFile)}\` among them` : ''}`,
    mend: `delete it from the source folder, or write \`leave-out: ["/${printable(archive.path)}"]\``,
  };
}
