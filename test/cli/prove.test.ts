import { copyFileSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { hasFakedClock } from '../support/clock';
import { itWith } from '../support/needs';
import { nativeProject } from '../support/native';
import { folderWith, HORN, pathTo, project, put, run } from '../support/program';

const SOURCE = { 'horn.mjs': HORN, 'data/tide.csv': 'h\n' };

interface Proved {
  readonly reproducible: boolean;
  readonly variations: readonly { readonly id: string; readonly same: boolean }[];
  readonly findings: readonly {
    readonly because: string;
    readonly on: readonly string[];
    readonly place: { readonly where: string; readonly a: string; readonly b: string; readonly cause: string };
  }[];
  readonly leftOut: readonly { readonly id: string }[];
}

function prove(
  root: string,
  args: readonly string[] = [],
  env: NodeJS.ProcessEnv = {},
): { status: number | null; document: Proved } {
  const { status, stdout, stderr } = run(root, ['prove', '--json', ...args], { env });
  expect(stderr).not.toContain('error');
  return { status, document: JSON.parse(stdout) as Proved };
}

describe('prove', () => {
  it('builds in changed surroundings, finds the same bytes, and leaves nothing behind', () => {
    const temporary = folderWith({});
    const root = project(SOURCE, {}, { 'other/x': '' });
    const { status, document } = prove(root, [], { TMPDIR: temporary });
    expect([status, document.reproducible, document.findings]).toEqual([0, true, []]);
    expect(document.variations.filter(({ same }) => !same)).toEqual([]);
    expect(document.variations.length + document.leftOut.length).toBeGreaterThan(16);
    expect(document.variations.map(({ id }) => id)).toEqual(expect.arrayContaining(['folder', 'umask', 'all']));
    expect(readdirSync(temporary)).toEqual([]);
  });

  it('says what it left out, and how to have it', () => {
    const root = project(SOURCE);
    const { stdout } = run(root, ['prove'], { env: { PATH: pathTo('sh') } });
    expect(stdout).toMatch(/left out {4}one processor \(to have it, install `taskset`/);
    expect(stdout).toMatch(/left out {4}the network off \(to have it, .*namespaces/);
  });

  it('records what came out, and holds records of several machines against each other', () => {
    const [root, other] = [project(SOURCE), project(SOURCE)];
    expect(run(root, ['prove', '--record', 'here.json'])).toMatchObject({ status: 0 });
    expect(run(other, ['prove', '--record', join(root, 'there.json')])).toMatchObject({ status: 0 });
    const agree = run(root, ['prove', '--records', 'here.json', 'there.json']);
    expect(agree).toMatchObject({ status: 0, stderr: '' });
    expect(agree.stdout).toMatch(
      /same bytes {2}horn arm64 {2}sha256 [0-9a-f]{12}[\s\S]*They agree: 1 artifact in 2 records/,
    );
    put(other, { 'src/horn.mjs': `${HORN}\n// louder\n` });
    expect(run(other, ['prove', '--record', join(root, 'there.json')])).toMatchObject({ status: 0 });
    const differ = run(root, ['prove', '--records', 'here.json', 'there.json']);
    expect(differ.status).toBe(1);
    expect(differ.stdout).toMatch(/differs {5}horn arm64 .* \| .*; the sources or the sheet are not the same/);
  });

  it.each([
    ['names that are no files', ['gone.json', 'gone.json'], 'nothing there'],
    ['one record alone', ['here.json'], '1 word'],
    ['no record at all', ['bad.json', 'bad.json'], '`proof`, which is not as the format wants it'],
    ['half a record', ['half.json', 'half.json'], 'text that is no JSON'],
  ])('refuses %s', (_what, files, found) => {
    const root = folderWith({ 'here.json': '{}', 'bad.json': '{"proof":2}', 'half.json': '{"proof":1' });
    expect(run(root, ['prove', '--records', ...files])).toMatchObject({
      status: 2,
      stdout: '',
      stderr: expect.stringContaining(found) as string,
    });
  });

  describe('--against', () => {
    it('tells whether an artifact from elsewhere comes from this source', () => {
      const [root, other] = [project(SOURCE), project({ ...SOURCE, 'horn.mjs': `${HORN}\n// louder\n` })];
      for (const one of [root, other]) expect(run(one, ['build'])).toMatchObject({ status: 0 });
      copyFileSync(join(root, 'out/horn/arm64/horn.zip'), join(root, 'theirs.zip'));
      const same = run(root, ['prove', '--against', 'theirs.zip']);
      expect(same).toMatchObject({
        status: 0,
        stdout: expect.stringContaining('It comes from here: theirs.zip') as string,
      });
      const differs = run(root, ['prove', 'horn', '--against', join(other, 'out/horn/arm64/horn.zip')]);
      expect(differs.status).toBe(1);
      expect(differs.stdout).toMatch(/changed {2}.*horn\.mjs[\s\S]*It does not come from here/);
    });

    it('refuses what is not there', () => {
      expect(run(project(SOURCE), ['prove', '--against', 'gone.zip'])).toMatchObject({
        status: 2,
        stderr: expect.stringContaining('nothing there') as string,
      });
    });
  });

  describe('with a compiler', () => {
    const main =
      '#include <stdio.h>\nint main(void) { char line[4096]; while (fgets(line, sizeof line, stdin)) puts(STAMP); return 0; }\n';
    /** A project in C, and a search path with a compiler that puts something of its own into what it compiles. */
    const faulty = (stamp: string): { root: string; env: NodeJS.ProcessEnv } => {
      const folder = folderWith({});
      const real = join(pathTo('gcc'), 'gcc');
      const line = `#!/bin/sh\ncase " $* " in *" -c "*) exec ${real} "-DSTAMP=\\"${stamp}\\"" "$@";; *) exec ${real} "$@";; esac\n`;
      writeFileSync(join(folder, 'gcc'), line, { mode: 0o755 });
      return { root: nativeProject({ 'main.c': main }), env: { PATH: `${folder}:${process.env.PATH ?? ''}` } };
    };

    const stamps: readonly (readonly [string, string, string, readonly string[], string])[] = [
      ['its folder', '$(pwd)', 'folder', [], 'path'],
      ['the day', '$(date +%Y-%m-%d)', 'variations', ['clock'], 'time'],
      ['the name of the machine', 'made on $(hostname)', 'variations', ['host'], 'host'],
      ['a random number', '$(cat /proc/sys/kernel/random/uuid)', 'itself', [], 'random'],
    ];
    itWith('gcc').each(stamps.filter(([, , , on]) => hasFakedClock || !on.includes('clock')))(
      'finds one that embeds %s',
      (_what, stamp, because, on, cause) => {
        const { root, env } = faulty(stamp);
        const { status, document } = prove(root, [], env);
        expect(status).toBe(1);
        const [finding] = document.findings;
        expect(finding).toMatchObject({
          because,
          on,
          place: { where: expect.stringMatching(/^run/) as string, cause },
        });
        expect(readFileSync(join(root, 'out/solver/x86_64/solver.zip')).length).toBeGreaterThan(0);
      },
    );
  });
});
