import { gunzipSync } from 'node:zlib';
import { baseOf } from '../../base/paths';
import { printable } from '../../base/text';
import { sourceOfBytes } from '../../formats/byte-source';
import { LAYOUT_FILE } from '../../formats/oci';
import { listTar } from '../../formats/tar';
import { openZip } from '../../formats/zip';
import { findings, type Finding, type Rule, type Subject, type SubjectEntry } from '../../findings/rule';

/** Archives, and those among them that no reader of ours opens. */
const ARCHIVE = /\.(?:zip|jar|tar|tgz|tbz2?|txz|7z|rar|tar\.(?:gz|bz2|xz|zst|lz4?))$/i;
const UNREAD = /\.(?:7z|rar|tbz2?|txz|bz2|xz|zst|lz4?)$/i;
const MAX_INNER_BYTES = 512 * 1024 * 1024;
const SAME_SHARE = 0.5;

export const layoutStaleArtifact: Rule = {
  id: 'layout/stale-artifact',
  level: 'stop',
  title: 'No earlier artifact of the function is packed inside it',
  why: 'An archive that was left in the source folder is packed again with the next one, which doubles with every build.',
  mend: 'Delete the archive from the source folder, or name it under `leave-out`.',
  needs: [],
  check({ subject, facts: { entry, name } }) {
    const archives = subject.entries.filter(({ kind, path }) => kind === 'file' && ARCHIVE.test(path));
    return findings(...archives.flatMap((archive) => judge(subject, archive, { entry: entry?.file, name }) ?? []));
  },
};

interface Sought {
  /** File of the entry. */
  readonly entry: string | undefined;
  /** Of the function. */
  readonly name: string | undefined;
}

function judge(subject: Subject, archive: SubjectEntry, sought: Sought): Finding | undefined {
  const found = UNREAD.test(archive.path) ? byName(archive.path, sought) : byContent(subject, archive, sought);
  if (found === undefined) return undefined;
  return {
    level: 'stop',
    where: printable(archive.path),
    expected: 'source files only',
    found,
    mend: `delete it from the source folder, or write \`leave-out: ["/${printable(archive.path)}"]\``,
  };
}

/** Archives that are not looked into are told by the name of the function. */
function byName(path: string, { name }: Sought): string | undefined {
  const file = baseOf(path).toLowerCase();
  const isNamedSo = name !== undefined && file.startsWith(name) && /^[._-]/.test(file.slice(name.length));
  return isNamedSo ? `an archive called like the function, \`${printable(baseOf(path))}\`` : undefined;
}

function byContent(subject: Subject, archive: SubjectEntry, sought: Sought): string | undefined {
  const { entry } = sought;
  const bytes = subject.readBytes(archive.path, MAX_INNER_BYTES);
  const inner = bytes === undefined ? undefined : innerFiles(bytes, archive.path);
  if (inner === undefined) return undefined;
  if (inner.isImage === true) return byName(archive.path, sought);
  const outer = new Set(subject.entries.map((e) => e.path));
  const files = inner.paths.map((path) => path.replace(/^[^/]+\/(?=.)/, (top) => (outer.has(top) ? top : '')));
  const same = inner.paths.filter((path) => outer.has(path)).length;
  const hasEntry = entry !== undefined && files.includes(entry);
  if (!inner.isOurs && !hasEntry && (files.length === 0 || same / files.length < SAME_SHARE)) return undefined;
  if (inner.isOurs) return 'an artifact that Emballage made';
  return `an archive with the same files${hasEntry ? `, \`${printable(entry)}\` among them` : ''}`;
}

interface Inner {
  readonly paths: readonly string[];
  readonly isOurs: boolean;
  readonly isImage?: boolean;
}

/** Paths of the files in an archive; undefined for none in spite of its name, which is no artifact either. */
function innerFiles(bytes: Uint8Array, path: string): Inner | undefined {
  try {
    if (/\.(?:zip|jar)$/i.test(path)) {
      const { entries, ours } = openZip(sourceOfBytes(bytes), path);
      return { paths: entries.filter(({ kind }) => kind === 'file').map((one) => one.path), isOurs: ours };
    }
    // RFC 1952: the two bytes that a gzip file begins with.
    const isPacked = bytes[0] === 0x1f && bytes[1] === 0x8b;
    const plain = isPacked ? gunzipSync(bytes, { maxOutputLength: MAX_INNER_BYTES }) : bytes;
    const heads = [...listTar(sourceOfBytes(plain), path)].map(({ head }) => head);
    const paths = heads.filter(({ kind }) => kind === 'file').map((head) => head.path);
    return { paths, isOurs: false, isImage: paths.includes(LAYOUT_FILE) };
  } catch {
    return undefined;
  }
}
