/** How the program behaves in a shell: help, widths, locales, pipes, folders, and one document for programs. */
import { spawnSync } from 'node:child_process';
import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import { COMMANDS } from '../../src/cli/commands/list';
import { itWith } from '../support/needs';
import { environment, folderWith, PROGRAM, project, run } from '../support/program';

const HORN = { 'horn.mjs': 'export const sound = () => 1;\n' };

describe('help', () => {
  it.each([40, 57, 80, 100, 200])('is written for %i columns, with its examples whole', async (columns) => {
    for (const entry of COMMANDS) {
      const { name } = entry;
      const { command } = await entry.load();
      const { stdout, status } = run(folderWith({}), [name, '--help'], { env: { COLUMNS: String(columns) } });
      expect(status).toBe(0);
      const [text = '', examples = ''] = stdout.split('\nExamples:\n');
      const wide = text
        .split('\n')
        .filter(
          (line) => line.length > Math.min(columns, 100) && line.trim().includes(' ') && !line.startsWith('node '),
        );
      // A word that is longer than the line stands on one of its own.
      expect(wide.filter((line) => line.trim().split(' ').length > 2)).toEqual([]);
      expect(
        examples.split('\n').filter((line) => line.includes(`emballage.js ${name}`) && line.startsWith('    ')),
      ).toHaveLength(command.examples.length);
    }
  });

  it('and the version are documents for programs as well', () => {
    const root = folderWith({});
    const json = (...args: readonly string[]): unknown => JSON.parse(run(root, args).stdout);
    expect(json('--version', '--json')).toMatchObject({
      version: expect.any(String) as string,
      code: expect.stringMatching(/^[0-9a-f]{16}$/) as string,
    });
    expect(json('--help', '--json')).toMatchObject({
      commands: expect.arrayContaining([expect.objectContaining({ name: 'build' })]) as object[],
    });
    expect(json('check', '--help', '--json')).toMatchObject({
      name: 'check',
      options: expect.arrayContaining([expect.objectContaining({ name: 'at', value: 'DESTINATION' })]) as object[],
    });
    expect(run(root, ['--version']).stdout).toMatch(/^emballage \d+\.\d+\.\d+ \(code [0-9a-f]{16}, runtime v\d/);
    expect(run(project(HORN), ['check', '--format', 'junit', '--json'])).toMatchObject({ status: 2 });
  });

  it('is near to what was meant', () => {
    const root = project(HORN);
    expect(run(root, ['build', '--verbos']).stderr).toContain('did you mean `--verbose`?');
    expect(run(root, ['biuld']).stderr).toContain('did you mean');
    expect(run(root, ['build', '--zzzzzz']).stderr).toContain('build --help');
  });
});

describe('output', () => {
  it('is plain where the locale cannot show more', () => {
    const root = project(HORN);
    run(root, ['build']);
    const { stdout } = run(root, ['check'], { env: { LC_ALL: 'C' } });
    expect([/[^\x00-\x7f]/.test(stdout), stdout.includes('horn')]).toEqual([false, true]);
    expect(/[^\x00-\x7f]/.test(run(root, ['check'], { env: { LC_ALL: 'en_US.UTF-8' } }).stdout)).toBe(true);
    expect(/[^\x00-\x7f]/.test(run(root, ['lock', '--help'], { env: { LC_ALL: '', LC_CTYPE: 'POSIX' } }).stdout)).toBe(
      false,
    );
  });

  it('bears a reader that goes away', () => {
    const root = project(HORN);
    const { stderr, stdout } = spawnSync(
      'bash',
      ['-c', `"${process.execPath}" "${PROGRAM}" rules | head -n 1; echo "\${PIPESTATUS[0]}"`],
      {
        cwd: root,
        env: environment(root),
        encoding: 'utf8',
      },
    );
    expect([stderr, stdout.trim().split('\n').at(-1)]).toEqual(['', '0']);
  });

  it('shows no stack for a mistake in the sheet', () => {
    const root = project(HORN, { arch: ['amd64'] });
    expect(run(root, ['build', '--verbose']).stderr).not.toMatch(/^\s+at /m);
  });
});

describe('the sheet', () => {
  it('is looked for upwards, and names in messages start from where the command runs', () => {
    const root = project(HORN);
    const below = join(root, 'src/deep/er');
    mkdirSync(below, { recursive: true });
    expect(run(below, ['build'])).toMatchObject({ status: 0 });
    expect(run(below, ['check', 'horn'])).toMatchObject({ status: 0 });
    const bad = project(HORN, { arch: ['amd64'] });
    mkdirSync(join(bad, 'src/deep'));
    expect(run(join(bad, 'src/deep'), ['build']).stderr).toContain('../../emballage.yaml:');
    expect(run(folderWith({ 'a.zip': '' }), ['check', 'a.zip'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('`--at destinations/NAME.yaml`') as string,
    });
  });
});

describe('the manual page', () => {
  itWith('man')('is read by man without a complaint', () => {
    const page = join(__dirname, '../../docs/emballage.1');
    const { stdout, stderr } = spawnSync('man', ['--warnings', '-E', 'UTF-8', '-l', page], {
      encoding: 'utf8',
      env: { ...process.env, MANWIDTH: '80', MANPAGER: 'cat', PAGER: 'cat' },
    });
    expect(stderr).toBe('');
    for (const { name } of COMMANDS) expect(stdout).toContain(`emballage ${name}`);
  });
});
