/** Files that are made for artifacts. They lie in the state folder by their digests, so that they are packed like others. */
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { contentDigest } from '../disk/digest';
import { writeWhole } from '../disk/write';
import type { StoredContent } from '../fileset/model';
import { stripElf } from '../formats/elf';
import { stateFolder, type Project } from './targets';

/** What was stripped once is kept by its digest; so is the news that there is nothing to strip. */
export function strippedFile(project: Project, { source, sha256 }: StoredContent): StoredContent | undefined {
  const note = join(stateFolder(project), 'stripped', `${sha256}.json`);
  const made = (digest: string): string => join(stateFolder(project), 'stripped', digest);
  try {
    const known = JSON.parse(readFileSync(note, 'utf8')) as { sha256: string; size: number } | null;
    if (known === null) return undefined;
    if (existsSync(made(known.sha256))) return { ...known, source: made(known.sha256) };
  } catch {
    // Not looked at yet.
  }
  const bytes = stripElf(readFileSync(source), 'debug');
  const digest = bytes === undefined ? '' : contentDigest(bytes);
  const known = bytes === undefined ? null : { sha256: digest, size: bytes.length };
  if (bytes !== undefined) writeWhole(made(digest), bytes, made(digest));
  writeWhole(note, JSON.stringify(known), note);
  return known === null ? undefined : { ...known, source: made(digest) };
}

interface MadeFile {
  readonly source: string;
  readonly size: number;
  readonly sha256: string;
}

/** Generated content lies in a file by its digest, so that it is packed like any other. */
export function generated(project: Project, text: string): MadeFile {
  return generatedBytes(project, Buffer.from(text));
}

export function generatedBytes(project: Project, bytes: Uint8Array): MadeFile {
  const sha256 = contentDigest(bytes);
  const source = join(stateFolder(project), 'generated', sha256);
  if (!existsSync(source)) writeWhole(source, bytes, source);
  return { source, size: bytes.length, sha256 };
}
