import { createHash } from 'node:crypto';
import { existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { INTAKE, LEVELS, packageFiles, packageFolder, pythonProject, startTestIndex } from '../support/index';
import { cachesOf, run, pathTo } from '../support/program';

interface Locked {
  readonly name: string;
  readonly version: string;
  readonly file: string;
  readonly index: string;
  readonly by: readonly string[];
}

const lockOf = (root: string) =>
  JSON.parse(readFileSync(join(root, 'emballage.lock'), 'utf8')) as {
    functions: Record<string, { targets: Record<string, Locked[]> } | undefined>;
  };
const lockedIn = (root: string, arch = 'x86_64'): string[] =>
  (lockOf(root).functions.intake?.targets[arch] ?? []).map(({ name, version }) => `${name} ${version}`);

const offered = packageFolder(
  packageFiles('levels', '1.0', { 'levels.py': LEVELS }),
  packageFiles('levels', '2.0', { 'levels.py': LEVELS }, { requires: ['datum>=1'] }),
  packageFiles('levels', '2.1', { 'levels.py': LEVELS }, { toml: '[tool.stand-in]\nyanked = "wrong sign"\n' }),
  packageFiles('levels', '3.0rc1', { 'levels.py': LEVELS }),
  packageFiles('levels', '4.0', { 'levels.py': LEVELS }, { python: '>=3.12' }),
  packageFiles('datum', '1.0', { 'datum.py': '' }),
  packageFiles('datum', '2.0', { 'datum.py': '' }, { requires: ['levels>=2'] }),
  packageFiles('chart', '1.0', { 'chart.py': '' }, { requires: ['datum<2', 'levels<2'] }),
  packageFiles(
    'waves',
    '1.0',
    { 'waves.py': '' },
    { toml: '[project.optional-dependencies]\nsea = ["datum==1.0; python_version < \'3.12\'"]\n' },
  ),
);

describe('emballage lock', () => {
  it('settles versions for every target, says who asks, and does not ask again', async () => {
    const { url, requests } = await startTestIndex(offered);
    const root = pythonProject(
      { 'intake.py': INTAKE },
      { needs: ['levels', 'waves[sea]'], arch: ['arm64', 'x86_64'], sources: [{ index: url }] },
    );
    const outcome = run(root, ['lock']);
    expect([outcome.status, outcome.stderr]).toEqual([0, '']);
    expect(lockedIn(root)).toEqual(['datum 1.0', 'levels 2.0', 'waves 1.0']);
    expect(lockedIn(root, 'arm64')).toEqual(lockedIn(root));
    const by = lockOf(root).functions.intake?.targets.x86_64?.map((one) => one.by);
    expect(by).toEqual([['levels', 'waves'], ['intake'], ['intake']]);
    const [asked, before] = [requests.length, readFileSync(join(root, 'emballage.lock'))];
    expect(run(root, ['lock', '--offline']).stdout).toContain('unchanged');
    expect([requests.length, readFileSync(join(root, 'emballage.lock')).equals(before)]).toEqual([asked, true]);
  });

  it('stays with what is locked until it is told to upgrade', async () => {
    const { url } = await startTestIndex(offered);
    const root = pythonProject({ 'intake.py': INTAKE }, { needs: ['levels==1.0'], sources: [{ index: url }] });
    run(root, ['lock']);
    const sheet = readFileSync(join(root, 'emballage.yaml'), 'utf8');
    writeFileSync(join(root, 'emballage.yaml'), sheet.replace('levels==1.0', 'levels'));
    run(root, ['lock']);
    expect(lockedIn(root)).toEqual(['levels 1.0']);
    expect(run(root, ['lock', '--upgrade', 'datum']).status).toBe(0);
    expect(lockedIn(root)).toEqual(['levels 1.0']);
    expect(run(root, ['lock', '--upgrade']).stdout).toMatch(/levels\s+1\.0 → 2\.0/);
    expect(lockedIn(root)).toEqual(['datum 2.0', 'levels 2.0']);
  });

  it('takes a yanked version or a pre-release only when it is asked for', async () => {
    const { url } = await startTestIndex(offered, ['--misbehave', 'html-only']);
    const settled = (needs: string[]) => {
      const root = pythonProject({ 'intake.py': INTAKE }, { needs, sources: [{ index: url }] });
      const outcome = run(root, ['lock']);
      return outcome.status === 0 ? lockedIn(root) : outcome.stderr;
    };
    expect(settled(['levels==2.1'])).toEqual(['levels 2.1']);
    expect(settled(['levels>=3.0rc1'])).toEqual(['levels 3.0rc1']);
    expect(settled(['levels>2.0,<3'])).toContain('was yanked by its makers');
    expect(settled(['levels>=2.5'])).toContain('only pre-releases such as 3.0rc1 would fit');
  });

  it('says in words which requirements exclude each other', async () => {
    const { url } = await startTestIndex(offered);
    const explain = (needs: string[]) => {
      const root = pythonProject({ 'intake.py': INTAKE }, { needs, sources: [{ index: url }] });
      const { status, stderr } = run(root, ['lock']);
      expect([status, existsSync(join(root, 'emballage.lock'))]).toEqual([2, false]);
      return stderr
        .split('\n')
        .filter((line) => line.startsWith('    - '))
        .map((line) => line.slice(6));
    };
    expect(explain(['levels>=2', 'chart']).sort()).toEqual([
      'chart 1.0 asks for levels<2',
      'intake asks for chart',
      'intake asks for levels>=2',
    ]);
    expect(explain(['levels>=4'])).toEqual([
      'intake asks for levels>=4',
      'levels 4.0: wants Python >=3.12; the newest that this target can use is 2.0',
    ]);
    expect(explain(['lvels'])).toEqual(['intake asks for lvels', 'no source has lvels']);
  });

  it('reads requirements files, with constraints, and refuses by line what it cannot honour', async () => {
    const { url } = await startTestIndex(offered);
    const good = pythonProject(
      {
        'intake.py': INTAKE,
        'requirements.txt': '# all of it\n-r more.txt\n-c limits.txt\n',
        'more.txt': 'levels \\\n  >=1 ; python_version >= "3"\n',
        'limits.txt': 'levels<2\nchart<1\n',
      },
      { sources: [{ index: url }] },
    );
    expect([run(good, ['lock']).status, lockedIn(good)]).toEqual([0, ['levels 1.0']]);
    expect(lockOf(good).functions.intake?.targets.x86_64?.[0]?.by).toEqual(['src/more.txt']);
    const text =
      'levels>>1\n--index-url ./simple\n-e ./here\ngit+https://code.example/x\nlevels @ https://files.example/l.whl\n--pre\nlevels --hash=md5:00\n';
    const bad = pythonProject({ 'intake.py': INTAKE, 'requirements.txt': text }, { sources: [{ index: url }] });
    const { status, stderr } = run(bad, ['lock']);
    expect([status, [...stderr.matchAll(/src\/requirements\.txt:(\d+):\d+/g)].map(([, line]) => line)]).toEqual([
      2,
      ['1', '2', '3', '4', '5', '6', '7'],
    ]);
  });

  it('holds a file to the digests that a requirements file gives', async () => {
    const { url } = await startTestIndex(offered);
    const withHash = (sha256: string) =>
      run(
        pythonProject(
          { 'intake.py': INTAKE, 'requirements.txt': `levels==1.0 --hash=sha256:${sha256}\n` },
          { sources: [{ index: url }] },
        ),
        ['lock'],
      );
    const root = pythonProject({ 'intake.py': INTAKE }, { needs: ['levels==1.0'], sources: [{ index: url }] });
    run(root, ['lock']);
    const [, sha256 = ''] = /"sha256":"(\w+)"/.exec(readFileSync(join(root, 'emballage.lock'), 'utf8')) ?? [];
    expect(withHash(sha256).status).toBe(0);
    expect(withHash('0'.repeat(64)).status).toBe(2);
  });

  it('reads pyproject.toml with groups, and reads the pylock.toml that it writes', async () => {
    const { url } = await startTestIndex(offered);
    const toml =
      '[project]\nname = "intake"\nversion = "0"\ndependencies = ["levels<2"]\n[project.optional-dependencies]\nsea = ["waves"]\n[dependency-groups]\nall = [{ include-group = "sea" }, "datum<2"]\n';
    const root = pythonProject(
      { 'intake.py': INTAKE, 'pyproject.toml': toml },
      { needs: 'src/pyproject.toml[all]', sources: [{ index: url }] },
    );
    expect([run(root, ['lock', '--pylock', 'src/pylock.toml']).status, lockedIn(root)]).toEqual([
      0,
      ['datum 1.0', 'levels 1.0', 'waves 1.0'],
    ]);
    const pylock = readFileSync(join(root, 'src/pylock.toml'));
    const again = pythonProject({ 'intake.py': INTAKE, 'pylock.toml': pylock });
    expect([run(again, ['lock']).status, lockedIn(again)]).toEqual([0, lockedIn(root)]);
  });

  it('takes a private name only from the source that serves it', async () => {
    const [open, own] = await Promise.all([
      startTestIndex(
        packageFolder(
          packageFiles('levels', '9.0', { 'levels.py': '' }),
          packageFiles('datum', '9.0', { 'datum.py': '' }),
        ),
      ),
      startTestIndex(offered),
    ]);
    const settled = (sources: unknown[]) => {
      const root = pythonProject({ 'intake.py': INTAKE }, { needs: ['levels', 'datum'], sources });
      run(root, ['lock']);
      return lockedIn(root);
    };
    expect(settled([{ index: open.url }, { index: own.url, serves: ['lev*'] }])).toEqual(['datum 9.0', 'levels 2.0']);
    expect(settled([{ index: open.url }, { index: own.url }])).toEqual(['datum 9.0', 'levels 9.0']);
    expect(own.requests.some((line) => line.includes('/datum/'))).toBe(false);
  });

  it('records which source served what, and leaves out what the runtime provides', async () => {
    const { url } = await startTestIndex(offered);
    const provides = { glibc: '2.36', provides: ['Datum'] };
    const root = pythonProject(
      { 'intake.py': INTAKE },
      { needs: ['levels==2.0'], sources: [{ index: url }] },
      {},
      provides,
    );
    run(root, ['lock']);
    const locked = lockOf(root).functions.intake?.targets.x86_64?.map(({ name, index }) => [name, index]);
    expect(locked).toEqual([['levels', url]]);
    expect(run(root, ['build']).status).toBe(0);
    expect(readFileSync(join(root, 'out/intake/x86_64/intake.waybill.json'), 'utf8')).toContain('"Datum"');
  });

  it('asks for a source where none is named', () => {
    const root = pythonProject({ 'intake.py': INTAKE }, { needs: ['levels'] });
    const { status, stderr } = run(root, ['lock'], { env: { PATH: pathTo('node') } });
    expect([status, stderr.includes('no pip here that could be asked')]).toEqual([2, true]);
  });

  it('logs in from netrc, and keeps the password out of everything', async () => {
    const { url } = await startTestIndex(offered, ['--login', 'keeper:s3cret-tide']);
    const root = pythonProject(
      { 'intake.py': INTAKE },
      { needs: ['levels<2'], sources: [{ index: url }] },
      { netrc: 'machine 127.0.0.1\n  login keeper\n  password s3cret-tide\n' },
    );
    const without = run(root, ['lock'], { env: { NETRC: '/nonexistent' } });
    expect([without.status, without.stderr.includes('~/.netrc')]).toEqual([3, true]);
    expect(run(root, ['lock', '--verbose'], { env: { NETRC: join(root, 'netrc') } }).status).toBe(0);
    expect(run(root, ['build'], { env: { NETRC: join(root, 'netrc') } }).status).toBe(0);
    const kept = ['emballage.lock', 'out/intake/x86_64/intake.waybill.json'].map((path) =>
      readFileSync(join(root, path), 'utf8'),
    );
    expect(kept.some((text) => /s3cret|keeper/.test(text))).toBe(false);
  });
});

describe('an index that misbehaves', () => {
  const lockAgainst = async (misbehave: string) => {
    const { url } = await startTestIndex(offered, ['--misbehave', misbehave]);
    const root = pythonProject({ 'intake.py': INTAKE }, { needs: ['levels<2'], sources: [{ index: url }] });
    const lock = run(root, ['lock']);
    const build = run(root, ['build']);
    return { root, lock, build };
  };

  it('is asked again when it fails for a moment', async () => {
    const { lock, build } = await lockAgainst('flaky');
    expect([lock.status, build.status]).toEqual([0, 0]);
  });

  it.each([
    ['failing', 'status 503'],
    ['html-as-json', 'text that is no JSON'],
    ['other-scheme', 'one to ftp:'],
  ])('is given up on with one clear error: %s', async (misbehave, found) => {
    const { root, lock } = await lockAgainst(misbehave);
    expect([lock.status, lock.stderr.includes(found), existsSync(join(root, 'emballage.lock'))]).toEqual([
      3,
      true,
      false,
    ]);
  });

  it('tells nothing of one wheel by what was said of another, though an index states the same digest of both', async () => {
    const { url } = await startTestIndex(offered, ['--misbehave', 'wrong-digest']);
    const root = pythonProject({ 'intake.py': INTAKE }, { needs: ['chart'], sources: [{ index: url }] });
    expect(run(root, ['lock'])).toMatchObject({ status: 0, stderr: '' });
    expect(lockedIn(root)).toEqual(['chart 1.0', 'datum 1.0', 'levels 1.0']);
  });

  it.each([
    ['truncated', 'broke off'],
    ['wrong-digest', `SHA-256 ${'0'.repeat(64)}`],
  ])('never gets a file into the store: %s', async (misbehave, found) => {
    const { root, build } = await lockAgainst(misbehave);
    expect([build.status, build.stderr.includes(found)]).toEqual([3, true]);
    const store = join(cachesOf(root), 'emballage/packages');
    const names = existsSync(store) ? readdirSync(store) : [];
    const whole = names.filter(
      (name) =>
        createHash('sha256')
          .update(readFileSync(join(store, name)))
          .digest('hex') !== name,
    );
    expect([whole, existsSync(join(root, 'out'))]).toEqual([[], false]);
  });
});

describe('a lock that was tampered with', () => {
  it.each([
    ['{"lock": 2, "functions": {', 'no JSON'],
    ['{"lock": 1, "functions": {}}', 'an earlier version'],
    ['{"lock": 2, "functions": {"intake": {"inputs": "", "targets": {"x86_64": [{"name": "a"}]}}}}', 'version'],
  ])('is refused: %s', (text, found) => {
    const root = pythonProject({ 'intake.py': INTAKE }, { needs: ['levels'] }, { 'emballage.lock': text });
    const { status, stderr } = run(root, ['build']);
    expect([status, stderr.includes('reading the lock'), stderr.includes(found)]).toEqual([2, true, true]);
  });
});
