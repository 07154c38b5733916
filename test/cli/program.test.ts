import { folderWith, HORN, project, run } from '../support/program';

describe('the program', () => {
  it('says what it is and what to do first', () => {
    const { status, stdout } = run(folderWith({}), []);
    expect(status).toBe(0);
    for (const command of ['build', 'check', 'try', 'prove', 'rules', 'toolchains', 'demo'])
      expect(stdout).toContain(`\n  ${command}`);
    expect(run(folderWith({}), ['--help']).stdout).toBe(stdout);
  });

  it.each(['build', 'check', 'try', 'prove', 'rules', 'toolchains', 'demo'])(
    '%s --help ends with two examples',
    (command) => {
      const { status, stdout } = run(folderWith({}), [command, '--help']);
      const [, examples = ''] = stdout.split('Examples:');
      expect([status, examples.split(`emballage.js ${command}`).length - 1]).toEqual([0, 2]);
    },
  );

  it.each<[readonly string[], string]>([
    [['biuld'], 'emballage.js build`?'],
    [['build', '--jbos', '2'], 'did you mean `--jobs`?'],
    [['build', '--jobs', '0'], 'a whole number from 1 to 256'],
    [['build', 'horm'], 'did you mean `horn`?'],
    [['check', '--at', 'slipway'], 'it without a file'],
    [['check', '--format', 'xml'], 'which is none of'],
    [['try', 'horn', 'horn2'], 'expected  one function'],
    [['try', 'horn', '--repeat', '0'], 'a whole number from 1 to 10000'],
    [['rules', 'size/pack'], 'did you mean `size/packed`?'],
    [['build', '--sheet', 'a', '--sheet', 'b'], 'the option once'],
  ])('refuses %j with exit code 2 and one clear error', (args, result) => {
    const { status, stdout, stderr } = run(project({ 'horn.mjs': HORN }), args);
    expect([status, stdout]).toEqual([2, '']);
    expect(stderr).toContain(result);
    expect(stderr).not.toContain('    at ');
  });

  it('gives one JSON document with --json, errors too', () => {
    const root = project({ 'horn.mjs': HORN });
    for (const args of [['build'], ['check'], ['rules'], ['toolchains'], ['check', 'gone.zip']]) {
      const { stdout } = run(root, [...args, '--json']);
      expect(typeof JSON.parse(stdout)).toBe('object');
    }
  });

  it('explains every rule it has', () => {
    const { rules } = JSON.parse(run(folderWith({}), ['rules', '--json']).stdout) as { rules: { id: string }[] };
    expect(rules.length).toBeGreaterThan(15);
    for (const { id } of rules.slice(0, 3))
      expect(run(folderWith({}), ['rules', id]).stdout).toMatch(
        new RegExp(`^${id} .*\n +why [\\s\\S]*\n +mend [\\s\\S]*\n +needs `),
      );
  });

  it('ends every command with the next one to type', () => {
    const root = project({ 'horn.mjs': HORN }, {}, { 'e.json': '{}' });
    for (const args of [['build'], ['check'], ['try', '--event', 'e.json'], ['rules'], ['toolchains']]) {
      const lines = run(root, args).stdout.trim().split('\n');
      expect([args, lines.at(-1)]).toEqual([args, expect.stringMatching(/^Next, to .*: node .*emballage\.js /)]);
    }
  });
});
