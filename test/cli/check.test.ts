import { appendFileSync, mkdirSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { ARTIFACT, DESTINATION, folderWith, HORN, project, run } from '../support/program';
import { makeZip, type RawEntry } from '../support/zip-bytes';

interface RuleView {
  readonly id: string;
  readonly findings: readonly {
    level: string;
    where?: string;
    expected: string;
    found: string;
    mend: string;
    accepted?: object;
    endedAcceptance?: object;
  }[];
  readonly gauge?: object;
  readonly lacking: readonly string[];
}
interface CheckView {
  readonly status: number | null;
  readonly found: readonly string[];
  readonly rules: readonly RuleView[];
}

function check(root: string, args: readonly string[]): CheckView {
  const { status, stdout } = run(root, ['check', '--json', ...args]);
  const { artifacts } = JSON.parse(stdout) as { artifacts: { rules: RuleView[] }[] };
  const rules = artifacts[0]?.rules ?? [];
  return {
    status,
    rules,
    found: rules.flatMap((rule) =>
      rule.findings.map((f) => `${f.level} ${rule.id}${f.where === undefined ? '' : ` ${f.where}`}`),
    ),
  };
}

/** Checks a zip made by hand against the destination of the tests. */
function checkZip(
  entries: readonly RawEntry[] | Buffer,
  args: readonly string[] = [],
  destination = DESTINATION,
): CheckView {
  const root = folderWith({
    'a.zip': Buffer.isBuffer(entries) ? entries : makeZip(entries),
    'slipway.yaml': destination,
  });
  return check(root, ['a.zip', '--at', 'slipway.yaml', ...args]);
}

/** Builds a project and checks what came out. */
function checkBuilt(root: string): CheckView {
  expect(run(root, ['build'])).toMatchObject({ stderr: '', status: 0 });
  return check(root, []);
}

const ENTRY = ['--entry', 'horn.mjs#sound'];

describe('check, on a file that something else made', () => {
  it('is content with a good one, and says what it could not look at', () => {
    const { status, found, rules } = checkZip([{ name: 'horn.mjs', data: HORN }]);
    expect([status, found]).toEqual([0, []]);
    const lacking = rules.filter((rule) => rule.lacking.length > 0);
    expect(lacking.map(({ id }) => id)).toEqual(
      expect.arrayContaining(['arch/unsupported', 'runtime/ended', 'entry/missing-file', 'settings/undeclared']),
    );
    expect(lacking.filter(({ id }) => /^(?:size|layout)\//.test(id))).toEqual([]);
    const result = checkZip([{ name: 'horn.mjs', data: HORN }], [...ENTRY, '--arch', 'arm64', '--runtime', 'node 20']);
    const still = result.rules.filter((rule) => rule.lacking.length > 0).map(({ id }) => id);
    expect(still.filter((id) => !id.startsWith('settings/'))).toEqual([]);
  });

  it.each<[string, readonly RawEntry[], readonly string[], readonly string[]]>([
    ['the entry in another case', [{ name: 'Horn.mjs', data: HORN }], ENTRY, ['stop entry/missing-file horn.mjs']],
    [
      'another member',
      [{ name: 'horn.mjs', data: 'export const other = () => 1;' }],
      ENTRY,
      ['stop entry/missing-member horn.mjs'],
    ],
    [
      'a syntax error',
      [{ name: 'horn.mjs', data: 'export const sound = ;' }],
      ENTRY,
      ['stop entry/missing-member horn.mjs:1:22'],
    ],
    [
      'what reading cannot tell',
      [{ name: 'horn.mjs', data: "export * from 'tides';" }],
      ENTRY,
      ['note entry/missing-member horn.mjs'],
    ],
    [
      'everything one folder too deep',
      [{ name: 'top/horn.mjs', data: HORN }, { name: 'top/b' }],
      ENTRY,
      ['stop entry/missing-file horn.mjs', 'stop layout/nested-root top/'],
    ],
    ['one folder, entry unknown', [{ name: 'top/a' }, { name: 'top/b' }], [], ['warn layout/nested-root top/']],
    ['names that differ in case', [{ name: 'a' }, { name: 'A' }], [], ['warn layout/case-clash A']],
    [
      'names that differ in how an accent is written',
      [{ name: 'caf\u00e9' }, { name: 'cafe\u0301' }],
      [],
      ['warn layout/case-clash cafe\u0301'],
    ],
    ['a path that leaves', [{ name: '../a' }], [], ['stop layout/unsafe-path ../a']],
    ['a control character, shown safely', [{ name: 'a\u001b[2J' }], [], ['stop layout/unsafe-path a\\u{1b}[2J']],
    ['a wrong checksum', [{ name: 'a', data: 'x', crc: 1 }], [], ['stop layout/damaged a']],
    ['encryption', [{ name: 'a', flags: 0x801, data: 'x' }], [], ['stop layout/damaged a']],
    ['a file that only its owner may read', [{ name: 'a', mode: 0o100600 }], [], ['stop layout/unreadable-mode a']],
    [
      'a folder that others may not enter',
      [{ name: 'a/', mode: 0o40744 }, { name: 'b' }],
      [],
      ['stop layout/unreadable-mode a'],
    ],
    [
      'an earlier artifact inside',
      [
        { name: 'horn.mjs', data: HORN },
        { name: 'old.zip', data: makeZip([{ name: 'horn.mjs', data: 'x' }]) },
      ],
      ENTRY,
      ['stop layout/stale-artifact old.zip'],
    ],
    [
      'an earlier artifact inside, one folder deep',
      [
        { name: 'horn.mjs', data: HORN },
        { name: 'old.zip', data: makeZip([{ name: 'v1/horn.mjs', data: 'x' }]) },
      ],
      ENTRY,
      ['stop layout/stale-artifact old.zip'],
    ],
    ['another processor', [{ name: 'a' }], ['--arch', 'arm64'], ['stop arch/unsupported']],
    ['a runtime that ended', [{ name: 'a' }], ['--runtime', 'node 18'], ['stop runtime/ended']],
    ['a runtime that is not there', [{ name: 'a' }], ['--runtime', 'python 3.11'], ['stop runtime/unsupported']],
    [
      'too big in every way',
      [
        { name: 'a', method: 8, data: Buffer.alloc(5 << 20) },
        ...Array.from({ length: 100 }, (_, i) => ({ name: `f${String(i)}` })),
      ],
      [],
      ['stop size/unpacked', 'stop size/files', 'stop size/one-file a'],
    ],
    [
      'nearly too many files',
      Array.from({ length: 95 }, (_, i) => ({ name: `f${String(i)}` })),
      [],
      ['warn size/files'],
    ],
  ])('finds %s', (_name, entries, args, expected) => {
    const destination = DESTINATION.replace('[x86_64, arm64]', '[x86_64]');
    const { found, status } = checkZip(entries, args, destination);
    expect(found).toEqual(expected);
    expect(status).toBe(expected.some((line) => line.startsWith('stop')) ? 1 : 0);
  });

  it('leaves another archive inside alone', () => {
    const data = makeZip([{ name: 'gauges.csv' }, { name: 'tides.csv' }]);
    expect(
      checkZip(
        [
          { name: 'horn.mjs', data: HORN },
          { name: 'data.zip', data },
        ],
        ENTRY,
      ).found,
    ).toEqual([]);
  });

  it.each<[string, Buffer, string]>([
    ['a text file', Buffer.from('water level\n'), 'no zip archive'],
    ['a truncated one', makeZip([{ name: 'a', data: 'x'.repeat(99) }]).subarray(0, 90), 'it is cut off'],
    ['an empty one', Buffer.alloc(0), 'an empty file'],
  ])('refuses %s', (_name, bytes, result) => {
    const root = folderWith({ 'a.zip': bytes, 'slipway.yaml': DESTINATION });
    expect(run(root, ['check', 'a.zip', '--at', 'slipway.yaml'])).toMatchObject({
      status: 2,
      stdout: '',
      stderr: expect.stringContaining(result) as unknown,
    });
  });

  it('wants to know the destination, and tells a wrong one', () => {
    const root = project({ 'horn.mjs': HORN }, {}, { 'a.zip': makeZip([{ name: 'a' }]) });
    expect(run(root, ['check', 'a.zip']).status).toBe(0);
    expect(run(root, ['check', 'a.zip', '--at', 'slipwax'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('did you mean `--at slipway`?') as unknown,
    });
    expect(run(root, ['check', 'gone.zip'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('nothing there') as unknown,
    });
    expect(run(root, ['check', 'a.zip', '--entry', 'horn'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('FILE#MEMBER') as unknown,
    });
  });
});

describe('check, on what was built', () => {
  it('shows every limit with what is used of it', () => {
    const { status, found, rules } = checkBuilt(
      project({ 'horn.mjs': HORN }, { limits: { packed: '10 KiB' }, settings: { LEVEL: { sample: '42' } } }),
    );
    expect([status, found]).toEqual([0, ['note settings/unread LEVEL']]);
    expect(rules.flatMap((rule) => (rule.gauge === undefined ? [] : [[rule.id, rule.gauge]]))).toMatchObject([
      ['size/packed', { allowed: 10_240, by: 'packing sheet' }],
      ['size/unpacked', { used: 73, allowed: 4 << 20, by: 'slipway' }],
      ['size/files', { used: 1, allowed: 100, unit: 'count' }],
      ['size/one-file', { used: 73 }],
      ['settings/total', { used: 7, allowed: 1024 }],
    ]);
  });

  it.each<[string, object, string, readonly string[]]>([
    [
      'settings without a value',
      { settings: { LEVEL: {} } },
      '',
      ['stop settings/missing LEVEL', 'note settings/unread LEVEL'],
    ],
    ['a setting that is required', {}, 'required: [STATION]', ['stop settings/missing STATION']],
    [
      'a reserved name',
      { settings: { HOST_NAME: { sample: 'x' } } },
      '',
      ['stop settings/reserved HOST_NAME', 'note settings/unread HOST_NAME'],
    ],
    [
      'settings that are too long',
      { settings: { LONG: { sample: 'x'.repeat(2000) } } },
      '',
      ['stop settings/total', 'note settings/unread LONG'],
    ],
    ['too little memory', { memory: '64 MiB' }, '', ['stop limits/memory']],
    ['too much memory', { memory: '8 GiB' }, '', ['stop limits/memory']],
    ['too long a time', { timeout: '1 h' }, '', ['stop limits/timeout']],
    ['an artifact above the team’s own limit', { limits: { packed: '100 B' } }, '', ['stop size/packed']],
  ])('finds %s', (_name, keys, destination, expected) => {
    const more = destination === '' ? {} : { 'slipway.yaml': DESTINATION.replace('required: []', destination) };
    const { status, found } = checkBuilt(project({ 'horn.mjs': HORN }, { ...keys }, more));
    expect([status, found]).toEqual([1, expected]);
  });

  it('lets an accepted finding pass until its day, and no longer', () => {
    const keys = (until: string) => ({
      limits: { packed: '100 B' },
      accept: [{ rule: 'size/packed', reason: 'The almanac moves out.', until }],
    });
    const now = checkBuilt(project({ 'horn.mjs': HORN }, keys('2999-01-01')));
    expect([now.status, now.rules[0]?.findings[0]?.accepted]).toMatchObject([0, { reason: 'The almanac moves out.' }]);
    const later = checkBuilt(project({ 'horn.mjs': HORN }, keys('2020-01-01')));
    expect([later.status, later.rules[0]?.findings[0]?.endedAcceptance]).toMatchObject([1, { until: '2020-01-01' }]);
  });

  it('writes SARIF and JUnit for CI', () => {
    const root = project(
      { 'horn.mjs': HORN },
      {
        limits: { packed: '100 B' },
        accept: [{ rule: 'size/packed', reason: 'Known & "meant".', until: '2999-01-01' }],
        settings: { HOST_A: { sample: 'x' } },
      },
    );
    run(root, ['build']);
    const sarif = JSON.parse(run(root, ['check', '--format', 'sarif']).stdout) as {
      version: string;
      runs: { results: object[] }[];
    };
    expect(sarif.version).toBe('2.1.0');
    expect(sarif.runs[0]?.results).toMatchObject([
      {
        ruleId: 'size/packed',
        ruleIndex: 0,
        level: 'error',
        suppressions: [{ kind: 'external', justification: 'Known & "meant". (until 2999-01-01)' }],
      },
      {
        ruleId: 'settings/reserved',
        level: 'error',
        locations: [
          {
            physicalLocation: { artifactLocation: { uri: ARTIFACT } },
            logicalLocations: [{ fullyQualifiedName: 'HOST_A' }],
          },
        ],
      },
      { ruleId: 'settings/unread', level: 'note' },
    ]);
    const junit = run(root, ['check', '--format', 'junit']).stdout;
    expect(junit).toContain('<testsuite name="horn arm64 slipway" tests="51" failures="1" skipped="0">');
    expect(junit).toContain('<failure message="HOST_A: one that matches `HOST_*`">');
  });

  it('refuses an artifact that is not there, or not that of its waybill', () => {
    const root = project({ 'horn.mjs': HORN });
    expect(run(root, ['check'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('emballage build horn') as unknown,
    });
    run(root, ['build']);
    appendFileSync(join(root, ARTIFACT), 'x');
    expect(run(root, ['check'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('the artifact of its waybill') as unknown,
    });
    rmSync(join(root, ARTIFACT));
    mkdirSync(join(root, ARTIFACT));
    expect(run(root, ['check']).status).not.toBe(0);
  });

  it('remarks that the source has changed since', () => {
    const root = project({ 'horn.mjs': HORN });
    run(root, ['build']);
    expect(run(root, ['check']).stderr).toBe('');
    writeFileSync(join(root, 'src/more.mjs'), '');
    expect(run(root, ['check']).stderr).toContain('changed since this was built');
  });
});
