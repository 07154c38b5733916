/** `include`: files from elsewhere in the project, and where they go inside the artifact. */
import { spawnSync } from 'node:child_process';
import { mkdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { ARTIFACT, HORN, project, put, run, type Files } from '../support/program';
import { requireTool } from '../support/tools';

const SHARED = {
  'shared/stations.json': '{"north":1}\n',
  'shared/tables/deep.csv': 'a,b\n',
  'shared/tables/notes.md': 'notes\n',
  'shared/tables/.npmrc': 'login\n',
  'shared/bells.mjs': 'export const bells = 3;\n',
};

const names = (root: string): string[] =>
  spawnSync(requireTool('python3'), ['-m', 'zipfile', '-l', join(root, ARTIFACT)], { encoding: 'utf8' })
    .stdout.trim()
    .split('\n')
    .slice(1)
    .map((line) => line.split(/ {2,}/)[0] ?? '');

const including = (include: unknown, keys: Readonly<Record<string, unknown>> = {}, source: Files = {}): string =>
  project({ 'horn.mjs': HORN, ...source }, { include, ...keys }, SHARED);

const status = (root: string): string =>
  (JSON.parse(run(root, ['build', '--json']).stdout) as { targets: { status: string }[] }).targets[0]?.status ?? '';

describe('include', () => {
  it('takes a file, a folder and a pattern, each to its place, and says so', () => {
    const root = including(
      [
        { files: 'shared/stations.json', inside: 'data/' },
        { files: 'shared/tables' },
        { files: 'shared/**/*.md', inside: 'docs' },
      ],
      { trim: 'traced' },
    );
    expect(run(root, ['build'])).toMatchObject({ status: 0, stderr: '' });
    // What holds logins is never packed.
    expect(names(root)).toEqual(['data/stations.json', 'deep.csv', 'docs/tables/notes.md', 'horn.mjs', 'notes.md']);
    const why = run(root, ['why', 'horn', 'data/*']).stdout;
    expect(why).toContain('from shared/stations.json');
    expect(why).toContain('kept by `include shared/stations.json`');
    expect(run(root, ['prove']).status).toBe(0);
  });

  it('packs code that nothing imports, also traced or linked', () => {
    const traced = including([{ files: 'shared/bells.mjs' }], { trim: 'traced' });
    const linked = including([{ files: 'shared/bells.mjs' }], { link: true });
    for (const root of [traced, linked]) {
      expect(run(root, ['build']).status).toBe(0);
      expect(names(root)).toContain('bells.mjs');
    }
  });

  it('sees a change there, and only that', () => {
    const root = including([{ files: 'shared/tables', inside: 'data' }]);
    expect([status(root), status(root)]).toEqual(['built', 'unchanged']);
    writeFileSync(join(root, 'shared/stations.json'), '{}\n');
    expect(status(root)).toBe('unchanged');
    writeFileSync(join(root, 'shared/tables/deep.csv'), 'c,d\n');
    expect(status(root)).toBe('built');
    put(root, { 'shared/tables/new.csv': 'e\n' });
    expect(status(root)).toBe('built');
    rmSync(join(root, 'shared/tables/new.csv'));
    // As it was before, which is in the store.
    expect(status(root)).toBe('stored');
    expect(names(root)).toEqual(['data/deep.csv', 'data/notes.md', 'horn.mjs']);
  });

  it('gives the bytes that the same files in the source folder give', () => {
    const from = including([{ files: 'shared/tables/deep.csv', inside: 'data' }]);
    const own = project({ 'horn.mjs': HORN, 'data/deep.csv': 'a,b\n' });
    for (const root of [from, own]) expect(run(root, ['build']).status).toBe(0);
    expect(readFileSync(join(from, ARTIFACT))).toEqual(readFileSync(join(own, ARTIFACT)));
  });

  it.each([
    ['leaves the project', [{ files: '../x.json' }], 'a file, a folder or a pattern inside the project folder'],
    ['names nothing', [{ files: 'shared/station.json' }], 'did you mean `shared/stations.json`?'],
    ['is all of the project', [{ files: '.' }], 'which is all of it'],
    ['goes out of the artifact', [{ files: 'shared', inside: '../up' }], 'a folder inside the artifact'],
    ['is no list', 'shared', 'a list of `{ files, inside }`'],
    ['matches nothing', [{ files: 'shared/*.tide' }], 'shared/*.tide: nothing there that `include` could take'],
    ['claims a place', [{ files: 'shared/bells.mjs' }], 'both src/bells.mjs and shared/bells.mjs would lie there'],
    [
      'claims one place twice',
      [{ files: 'shared/tables/deep.csv' }, { files: 'more/deep.csv' }],
      'both shared/tables/deep.csv and more/deep.csv would lie there',
    ],
  ])('is refused where it %s', (_what, include, message) => {
    const isTaken = JSON.stringify(include).includes('bells');
    const root = including(include, {}, isTaken ? { 'bells.mjs': '' } : {});
    put(root, { 'more/deep.csv': 'x\n' });
    const { status: code, stderr } = run(root, ['build']);
    expect([code, stderr]).toEqual([2, expect.stringContaining(message)]);
  });

  it('refuses links that leave what is included', () => {
    const root = including([{ files: 'shared/tables' }]);
    mkdirSync(join(root, 'elsewhere'));
    symlinkSync('../../elsewhere', join(root, 'shared/tables/away'));
    expect(run(root, ['build'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('which leaves') as string,
    });
  });
});
