/** Reads records of known faults from a folder or an archive: those that are about packages that are wanted. */
import { TO_READ } from '../../disk/to-read';
import { closeSync, openSync, readdirSync, readFileSync, readSync, statSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { gunzipSync } from 'node:zlib';
import { EmballageError, messageOf } from '../../base/errors';
import { jsonOf } from '../../base/json';
import { printable } from '../../base/text';
import { contentDigest } from '../../disk/digest';
import { withFileSource } from '../../disk/file-source';
import { stampOf } from '../../disk/stamp';
import { KINDS, type StateFolder } from '../../project/state/state';
import { sourceOfBytes, type ByteSource } from '../../formats/byte-source';
import { isGzip } from '../../formats/gzip';
import type { OsvRecord } from '../../formats/osv';
import { listTar } from '../../formats/tar';
import { openZip, readEntry } from '../../formats/zip';
import { textOf } from './package-texts';

const MOST_RECORD_BYTES = 8 * 1024 * 1024;
const MOST_RECORDS = 2_000_000;
const MOST_PLAIN_BYTES = 4 * 1024 ** 3;
const MOST_DEPTH = 6;
const NAMES = /"name"\s*:\s*"([^"\\]{1,400})"/g;

export interface ReadRecord {
  readonly record: OsvRecord;
  /** Where it stands, for messages. */
  readonly shown: string;
}

export interface AdvisoryPlace {
  /** Absolute path of the project. */
  readonly root: string;
  /** As the sheet has it. */
  readonly at: string;
  /** Where it is remembered which records are about which packages. */
  readonly state: StateFolder;
}

export interface Wanted {
  /** All packages, in words: what is remembered is of these. */
  readonly names: readonly string[];
  /** Whether a record is about a package of such a name, which is asked before it is read whole. */
  readonly isWanted: (name: string) => boolean;
}

/** Records that are about such packages; remembered for as long as nothing there has changed. @throws EmballageError ADVISORIES_INVALID */
export async function readAdvisories(place: AdvisoryPlace, { names, isWanted }: Wanted): Promise<ReadRecord[]> {
  const { state, root, at } = place;
  const key = contentDigest(JSON.stringify([stampsOf(resolve(root, at), MOST_DEPTH), [...names].sort()]));
  const known = state.recall(KINDS.advisories, `${key}.json`) as ReadRecord[] | undefined;
  if (known !== undefined) return known;
  const found = await readAll(place, isWanted);
  state.remember(KINDS.advisories, `${key}.json`, found);
  return found;
}

/** What the system says of all of it without reading. */
function stampsOf(path: string, depth: number): unknown {
  const stat = statSync(path, { throwIfNoEntry: false });
  if (stat === undefined) return null;
  if (!stat.isDirectory()) return stampOf(stat);
  if (depth === 0) return [];
  return readdirSync(path)
    .sort()
    .map((name) => [name, stampsOf(join(path, name), depth - 1)]);
}

async function readAll(place: AdvisoryPlace, wanted: (name: string) => boolean): Promise<ReadRecord[]> {
  const { osvRecord } = await import('../../formats/osv');
  const found: ReadRecord[] = [];
  await eachText(place, (text, shown) => {
    if (!/^\s*\{/.test(text)) throw bad(shown, 'a record, as JSON', 'something else');
    let isWanted = false;
    for (const [, name = ''] of text.matchAll(NAMES)) isWanted ||= wanted(name);
    if (!isWanted) return;
    const value = jsonOf(text);
    if (value === undefined)
      throw bad(shown, 'a record, as JSON', 'text that is none: it was cut off, or edited by hand');
    const result = osvRecord.safeParse(value);
    if (result.success) found.push({ record: result.data, shown });
    else {
      const [issue] = result.error.issues;
      const at = issue?.path.map(String).join('.') ?? '';
      throw bad(
        shown,
        issue?.message ?? 'a record of the OSV format',
        at === '' ? 'text that is no such record' : `something else at \`${printable(at)}\``,
      );
    }
  });
  return found;
}

/** The error for records of known faults. */
export function bad(shown: string, expected: string, found: string, cause?: unknown): EmballageError {
  return new EmballageError(
    'ADVISORIES_INVALID',
    {
      doing: 'reading records of known faults',
      where: printable(shown),
      expected,
      found,
      mend: 'fetch it again from where it is published, or take it out',
    },
    cause,
  );
}

type Take = (text: string, shown: string) => void;

async function eachText({ root, at }: AdvisoryPlace, take: Take): Promise<void> {
  const path = resolve(root, at);
  const stat = statSync(path, { throwIfNoEntry: false });
  if (stat === undefined)
    throw bad(at, 'a folder or an archive with records (`advisories` in the sheet)', 'nothing there');
  const counted = counting(take, at);
  if (stat.isDirectory()) {
    inFolder(path, at, MOST_DEPTH, counted);
    return;
  }
  const head = headOf(path);
  if (isGzip(head)) {
    inTar(sourceOfBytes(gunzip(path, at)), at, counted);
    return;
  }
  await withFileSource(path, at, (source) =>
    head.toString('latin1', 257, 262) === 'ustar' ? inTar(source, at, counted) : inZip(source, at, counted),
  );
}

function counting(take: Take, at: string): Take {
  let count = 0;
  return (text, shown) => {
    if ((count += 1) > MOST_RECORDS) throw bad(at, `at most ${String(MOST_RECORDS)} records`, 'more');
    take(text, shown);
  };
}

function inFolder(path: string, shown: string, depth: number, take: Take): void {
  const entries = readdirSync(path, { withFileTypes: true }).sort((a, b) => (a.name < b.name ? -1 : 1));
  for (const entry of entries) {
    const [below, name] = [join(path, entry.name), `${shown.replace(/\/$/, '')}/${entry.name}`];
    if (entry.isDirectory() && depth > 0 && !entry.name.startsWith('.')) inFolder(below, name, depth - 1, take);
    if (!entry.isFile() || !entry.name.endsWith('.json')) continue;
    if (statSync(below).size > MOST_RECORD_BYTES) throw bad(name, 'a record of at most 8 MiB', 'more');
    take(readFileSync(below, 'utf8'), name);
  }
}

function inZip(source: ByteSource, shown: string, take: Take): void {
  for (const entry of openZip(source, shown).entries)
    if (entry.kind === 'file' && entry.path.endsWith('.json'))
      take(textOf(readEntry(source, entry, MOST_RECORD_BYTES)), `${entry.path} in ${shown}`);
}

function inTar(source: ByteSource, shown: string, take: Take): void {
  for (const { head, at } of listTar(source, shown)) {
    if (head.kind !== 'file' || !head.path.endsWith('.json')) continue;
    const name = `${head.path} in ${shown}`;
    if (head.size > MOST_RECORD_BYTES) throw bad(name, 'a record of at most 8 MiB', 'more');
    take(textOf(source.read(at, head.size)), name);
  }
}

function headOf(path: string): Buffer {
  const head = Buffer.alloc(512);
  const fd = openSync(path, TO_READ);
  try {
    readSync(fd, head, 0, head.length, 0);
  } finally {
    closeSync(fd);
  }
  return head;
}

function gunzip(path: string, shown: string): Buffer {
  try {
    return gunzipSync(readFileSync(path), { maxOutputLength: MOST_PLAIN_BYTES });
  } catch (error) {
    throw bad(shown, 'a gzip-compressed tar archive', messageOf(error), error);
  }
}
