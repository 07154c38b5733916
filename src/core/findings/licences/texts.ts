/** Knows licences by their text: by how many runs of words of the published text stand in it. */
import { ownOf } from '../../base/own';
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import { together } from '../../formats/licence-expression';

/** Those that packages have, by what the list of SPDX calls them. */
const KNOWN = [
  ...['MIT', 'MIT-0', 'ISC', '0BSD', 'BSD-2-Clause', 'BSD-3-Clause', 'BSD-4-Clause', 'Apache-2.0', 'Zlib', 'BSL-1.0'],
  ...[
    'MPL-2.0',
    'EPL-1.0',
    'EPL-2.0',
    'CDDL-1.0',
    'CDDL-1.1',
    'Unlicense',
    'CC0-1.0',
    'WTFPL',
    'PSF-2.0',
    'Unicode-3.0',
  ],
  ...['GPL-2.0-only', 'GPL-3.0-only', 'LGPL-2.1-only', 'LGPL-3.0-only', 'AGPL-3.0-only', 'BlueOak-1.0.0', 'OpenSSL'],
] as const;

/** Those whose text is nearly all of another’s: where that one is there, they are not. */
const PART_OF: Readonly<Record<string, readonly string[]>> = {
  '0BSD': ['ISC'],
  'BSD-2-Clause': ['BSD-3-Clause', 'BSD-4-Clause'],
  'BSD-3-Clause': ['BSD-4-Clause'],
  'MIT-0': ['MIT'],
  'GPL-3.0-only': ['AGPL-3.0-only'],
  'CDDL-1.0': ['CDDL-1.1'],
};

const RUN = 3;
/** The part of a published text that has to be there: names and years are other ones everywhere. */
const LEAST_SHARE = 0.9;
const NEARLY = 0.03;
const MOST_LETTERS = 512 * 1024;

/** @returns the expression of all licences whose text stands there; undefined where none is known */
export function licencesIn(text: string): string | undefined {
  const there = runsOf(text.slice(0, MOST_LETTERS));
  if (there.size === 0) return undefined;
  const shares = new Map<string, number>();
  for (const id of KNOWN) {
    const runs = publishedRuns(id);
    let found = 0;
    for (const run of runs) if (there.has(run)) found += 1;
    const share = found / runs.size;
    if (share >= LEAST_SHARE) shares.set(id, share);
  }
  // Of two that are nearly alike the larger one counts, unless less of it is there.
  for (const [id, share] of [...shares])
    for (const larger of ownOf(PART_OF, id) ?? []) {
      const other = shares.get(larger);
      if (other !== undefined) shares.delete(other >= share - NEARLY ? id : larger);
    }
  const ids = [...shares.keys()];
  return ids.length === 0 ? undefined : together(ids);
}

const published = new Map<string, ReadonlySet<string>>();

function publishedRuns(id: string): ReadonlySet<string> {
  let runs = published.get(id);
  if (runs === undefined) {
    const list = dirname(createRequire(__filename).resolve('spdx-license-list'));
    const { licenseText } = JSON.parse(readFileSync(join(list, 'licenses', `${id}.json`), 'utf8')) as {
      licenseText: string;
    };
    runs = runsOf(licenseText);
    published.set(id, runs);
  }
  return runs;
}

/** Runs of words, without what differs from copy to copy: who holds the rights, marks of comments, punctuation. */
function runsOf(text: string): ReadonlySet<string> {
  const words = text
    .toLowerCase()
    .replace(/^.{0,40}copyright (?:\(c\)|©|<|\[|\d).*$/gm, ' ')
    .replace(/<[^>\n]{1,60}>|\[[^\]\n]{1,60}\]/g, ' ')
    .replace(/[^a-z0-9]+/g, ' ')
    .replace(/licence/g, 'license')
    // Who holds the rights is named in the middle of some.
    .replace(
      /\bneither the names? of .{1,160}? nor the names of (?:its|their|the|any) contributors/g,
      'neither name nor names',
    )
    .replace(/\bby .{1,80}? as is\b/g, 'by as is')
    .replace(/\bshall .{1,120}? be liable\b/g, 'shall be liable')
    .split(' ')
    .filter((word) => word !== '');
  const runs = new Set<string>();
  for (let i = 0; i + RUN <= words.length; i++) runs.add(words.slice(i, i + RUN).join(' '));
  return runs;
}
