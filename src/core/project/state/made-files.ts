/** Files that are made for artifacts. They lie in the state folder by their digests, so that they are packed like others. */
import { existsSync, readFileSync } from 'node:fs';
import { contentDigest } from '../../disk/digest';
import { writeWhole } from '../../disk/write';
import type { StoredContent } from '../../fileset/model';
import { stripElf } from '../../formats/elf';
import { KINDS } from './state';
import type { Project } from '../targets';

/** What was stripped once is kept by its digest; so is the news that there is nothing to strip. */
export function strippedFile({ state }: Pick<Project, 'state'>, content: StoredContent): StoredContent | undefined {
  const { source, sha256 } = content;
  const made = (digest: string): string => state.file(KINDS.stripped, digest);
  const known = state.recall(KINDS.stripped, `${sha256}.json`) as StrippedNote | undefined;
  if (known?.stripped === null) return undefined;
  if (known !== undefined && existsSync(made(known.stripped.sha256)))
    return { ...known.stripped, source: made(known.stripped.sha256) };
  const bytes = stripElf(readFileSync(source), 'debug');
  const digest = bytes === undefined ? '' : contentDigest(bytes);
  const stripped = bytes === undefined ? null : { sha256: digest, size: bytes.length };
  if (bytes !== undefined) writeWhole(made(digest), bytes, made(digest));
  state.remember(KINDS.stripped, `${sha256}.json`, { stripped } satisfies StrippedNote);
  return stripped === null ? undefined : { ...stripped, source: made(digest) };
}

/** What a file came to; null where there is nothing to strip. */
interface StrippedNote {
  readonly stripped: { readonly sha256: string; readonly size: number } | null;
}

interface MadeFile {
  readonly source: string;
  readonly size: number;
  readonly sha256: string;
}

/** Generated content lies in a file by its digest, so that it is packed like any other. */
export function generated(project: Pick<Project, 'state'>, text: string): MadeFile {
  return generatedBytes(project, Buffer.from(text));
}

/** Keeps bytes that were made for an artifact, to be packed from. */
export function generatedBytes({ state }: Pick<Project, 'state'>, bytes: Uint8Array): MadeFile {
  const sha256 = contentDigest(bytes);
  const source = state.file(KINDS.generated, sha256);
  if (!existsSync(source)) writeWhole(source, bytes, source);
  return { source, size: bytes.length, sha256 };
}
