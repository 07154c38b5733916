import { formOf } from '../../forms';
import { spawnSync } from 'node:child_process';
import { chmodSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { thisMachine } from '../../../cli/session/machine';
import { hasFakedClock, itWithClock } from '../../../../test/support/clock';
import { folderWith } from '../../../../test/support/program';
import type { FunctionSpec } from '../../sheet';
import type { Project } from '../../project/targets';
import { copyProject, listTree } from '../../disk/copy-project';
import { fewest, halves } from './plan';
import { prove, type Proof } from './prove';
import { rebuilder } from './rebuild';
import { findMeans, whatLacks } from './start';
import { together, VARIATIONS, type Variation } from './variations';

const BUILDER = join(__dirname, '../../../../test/support/faulty-build.js');
/** Files `a.txt` and `z.txt`, with so many between them that the clock of a file system moves on. */
const FILES = Object.fromEntries(
  ['a', ...Array.from({ length: 250 }, (_, i) => `m${String(100 + i)}`), 'z'].map((name) => [
    `src/${name}.txt`,
    `${name}\n`,
  ]),
);

const nameOf = (fault: string): string => fault.replaceAll(' ', '-');

/** A function for each fault, built by a program that has them, here and then in all surroundings. */
async function proveAll(faults: readonly string[]): Promise<Proof> {
  const root = folderWith({ 'emballage.yaml': '' });
  // One after the other, as they come.
  const made = folderWith(FILES);
  copyProject(made, root, { ...listTree(made, 'src', () => false), emptyFiles: [], order: 'forward' });
  const caches = folderWith({ 'emballage/mark': '' });
  const runtime = join(folderWith({}), 'engine');
  writeFileSync(runtime, `#!/bin/sh\nOTHER_ENGINE=v99 exec ${process.execPath} "$@"\n`);
  chmodSync(runtime, 0o755);
  const machine = thisMachine();
  const base = folderWith({});
  const means = { ...(await findMeans(machine, base)), runtime };
  const variations = VARIATIONS.filter((one) => whatLacks(one, means) === undefined);
  const functions = faults.map(
    (fault) =>
      ({
        name: nameOf(fault),
        form: formOf('zip'),
        archs: ['arm64'],
        source: 'src',
        events: [],
        sources: [],
      }) as unknown as FunctionSpec,
  );
  const script = (sheet: string, names: readonly string[], jobs: number | undefined): string[] => [
    ...[BUILDER, 'build', ...names, '--sheet', sheet, '--json'],
    ...(jobs === undefined ? [] : ['--jobs', String(jobs)]),
  ];
  const args = script(join(root, 'emballage.yaml'), faults.map(nameOf), undefined);
  const env = { ...process.env, XDG_CACHE_HOME: caches };
  const { status, stderr } = spawnSync(process.execPath, args, { env, encoding: 'utf8' });
  if (status !== 0) throw new Error(stderr);
  const spoiled = join(root, 'out/what-was-spoiled/arm64/what-was-spoiled.zip');
  const bytes = readFileSync(spoiled);
  bytes[bytes.indexOf('m100\n')] = 0x4d;
  writeFileSync(spoiled, bytes);
  const project = { root, files: ['emballage.yaml'] } as unknown as Project;
  const plan = { files: Object.keys(FILES), folders: ['src'], emptyFiles: ['emballage.yaml'] };
  const otherBase = means.otherDisk === undefined ? undefined : mkdtempSync(join(means.otherDisk, 'emballage-test-'));
  try {
    return await prove({
      root,
      functions,
      variations,
      jobs: 2,
      isEach: true,
      clock: () => performance.now(),
      pause: (ms) => new Promise((resolve) => setTimeout(resolve, ms)),
      rebuild: rebuilder({
        project,
        functions,
        plan,
        machine,
        means,
        caches,
        base,
        otherBase,
        script,
        onBuild: () => undefined,
      }),
      onBuild: () => undefined,
      onSearch: () => undefined,
    });
  } finally {
    if (otherBase !== undefined) rmSync(otherBase, { recursive: true });
  }
}

/** What was found of it: what makes it differ, where, and what is likely. */
function told({ findings }: Proof, fault: string): unknown[] {
  return findings
    .filter(({ name }) => name === nameOf(fault))
    .map(({ culprit, place, file }) => {
      const because = culprit.kind === 'variations' ? culprit.on.map(({ id }) => id).join('+') : culprit.kind;
      return [because, place.where, place.cause, ...(file === 'waybill' ? [file] : [])];
    });
}

/** What is planted, what it is found by, where, and what it is taken for. */
const FAULTS: readonly (readonly [fault: string, because: string, where: RegExp, cause: string])[] = [
  ['date in a generated file', 'clock', /^stamp\.txt, line 1$/, 'time'],
  ['milliseconds in a generated file', 'itself', /^stamp\.txt, line 1$/, 'time'],
  ['date in json', 'clock', /^about\.json, .*built/, 'time'],
  ['year of the copyright', 'clock', /^notice\.txt/, 'time'],
  ['time stamps of entries from the clock', 'clock', /\.txt$/, 'time'],
  ['time stamps of entries from files', 'times', /\.txt$/, 'time'],
  ['gzip header with the time', 'itself', /^tides\.gz/, 'time'],
  ['package built from source with a time stamp', 'itself', /METADATA/, 'time'],
  ['unordered list of files', 'listed', /^list\.txt/, 'order'],
  ['entries as folders list them', 'listed', /entries/, 'order'],
  ['order of creation', 'made', /^order\.txt/, 'order'],
  ['folder in a string', 'folder', /^paths\.txt/, 'path'],
  ['folder in binary', 'folder', /^run/, 'path'],
  ['random build id', 'itself', /^id\.txt/, 'random'],
  ['random number', 'itself', /^id\.txt/, 'random'],
  ['mode of sources', 'modes', /mode/, 'mode'],
  ['mode by the umask', 'umask', /^made\.txt, mode/, 'mode'],
  ['sorted by locale', 'locale', /^sorted\.txt/, 'order'],
  ['capitals by locale', 'locale', /^word\.txt/, 'unknown'],
  ['number by locale', 'locale', /^level\.txt/, 'unknown'],
  ['time of day in the zone', 'zone', /^zone\.txt/, 'time'],
  ['name of the user', 'user', /^by\.txt/, 'user'],
  ['number of the user', 'user', /^owner\.txt/, 'user'],
  ['owner of made files', 'user', /^owner\.txt/, 'user'],
  ['home in a setting', 'home', /^settings\.txt/, 'path'],
  ['name of the machine', 'host', /^by\.txt/, 'host'],
  ['flags from the environment', 'noise', /^flags\.txt/, 'unknown'],
  ['hash seed from the environment', 'noise', /^set\.txt/, 'order'],
  ['number of processors', 'processor', /^workers\.txt/, 'unknown'],
  ['what is in the cache', 'cold', /^cache\.txt/, 'unknown'],
  ['what an earlier build left', 'store', /^count\.txt/, 'unknown'],
  ['version of the runtime', 'runtime', /^engine\.txt/, 'unknown'],
  ['temporary folder', 'temporary', /^tmp\.txt/, 'path'],
  ['kind of file system', 'disk', /^disk\.txt/, 'unknown'],
  ['networks that are there', 'network', /^net\.txt/, 'unknown'],
  ['zone with the umask', 'zone+umask', /^both\.txt/, 'unknown'],
];

const FINDS = 'finds and names: %s';

describe('a proof', () => {
  let proof: Proof;
  beforeAll(async () => {
    const others = ['number of jobs', 'only the waybill', 'what was spoiled', 'nothing at all'];
    proof = await proveAll([...FAULTS.map(([fault]) => fault), ...others]);
  }, 120_000);

  it('is tried in everything together, and with each variation alone', () => {
    const tried = proof.builds.map(({ on }) => on.map(({ id }) => id).join());
    const ids = VARIATIONS.map(({ id }) => id).filter((id) => hasFakedClock || id !== 'clock');
    expect(tried.sort()).toEqual([...ids, ids.join()].sort());
  });

  it.each(FAULTS.filter(([, because]) => because !== 'clock'))(FINDS, (fault, because, where, cause) => {
    expect(told(proof, fault)).toEqual([[because, expect.stringMatching(where), cause]]);
  });

  itWithClock.each(FAULTS.filter(([, because]) => because === 'clock'))(FINDS, (fault, because, where, cause) => {
    expect(told(proof, fault)).toEqual([[because, expect.stringMatching(where), cause]]);
  });

  it('finds what each of two variations does alone', () => {
    expect(told(proof, 'number of jobs')).toEqual([
      ['jobs-1', 'parts.txt, line 1', 'unknown'],
      ['jobs-7', 'parts.txt, line 1', 'unknown'],
    ]);
  });

  itWithClock('finds a fault of the waybill alone', () => {
    expect(told(proof, 'only the waybill')).toEqual([['clock', expect.any(String), 'time', 'waybill']]);
  });

  it('tells that what lies in the output folder is not what is built anew', () => {
    expect(told(proof, 'what was spoiled')).toEqual([['stale', expect.stringMatching(/^m100\.txt/), 'unknown']]);
  });

  it('finds nothing where nothing shows', () => {
    expect(told(proof, 'nothing at all')).toEqual([]);
  });
});

describe('variations', () => {
  it('of which each is in one half, and none with what excludes it', () => {
    const [a = [], b = []] = halves(VARIATIONS);
    expect(new Set([...a, ...b])).toEqual(new Set(VARIATIONS));
    for (const half of [a, b]) expect(half.filter(({ not }) => half.some(({ id }) => id === not))).toEqual([]);
  });

  it('change together what each changes', () => {
    expect(together(VARIATIONS)).toMatchObject({
      jobs: 7,
      umask: 0o077,
      env: { TZ: 'Pacific/Chatham', USER: 'somebody' },
    });
  });

  it.each([['zone'], ['zone', 'umask'], ['folder', 'jobs-1', 'network']])(
    'are bisected to %s %s %s',
    async (...wanted) => {
      let builds = 0;
      const differs = (on: readonly Variation[]): Promise<boolean> => {
        builds += 1;
        return Promise.resolve(wanted.every((id) => on.some((one) => one.id === id)));
      };
      const found = await fewest(VARIATIONS, differs);
      expect(found.map(({ id }) => id).sort()).toEqual(wanted.sort());
      expect(builds).toBeLessThan(100);
    },
  );
});
