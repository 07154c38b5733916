import { gzipSync } from 'node:zlib';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { lockEntry, nodeProject, packageLock, startRegistry, type TestRegistry } from '../support/npm';
import { put, run } from '../support/program';
import { makeTar } from '../support/tar-bytes';
import { makeZip } from '../support/zip-bytes';

const MIT = (
  JSON.parse(readFileSync(join(require.resolve('spdx-license-list'), '../licenses/MIT.json'), 'utf8')) as {
    licenseText: string;
  }
).licenseText;

const PACKAGES = {
  'tides@1.2.0': {
    json: { license: 'Apache-2.0', main: 'index.js' },
    files: {
      'index.js': "exports.read = require('./read.js').read;\n",
      'read.js': "exports.read = (x) => require('buoys').mark(x);\n",
      'draw.js': 'exports.draw = 1;\n',
      LICENSE: 'x',
    },
  },
  'buoys@0.4.0': {
    json: { main: 'b.js', license: undefined },
    files: { 'b.js': 'exports.mark = (x) => x;\n', LICENSE: MIT },
  },
  'horns@2.0.0': { json: { license: 'GPL-3.0-only OR MIT' }, files: { 'index.js': 'exports.h = 1;\n' } },
};
const CODE = "import { read } from 'tides';\nexport const decide = (event) => read(event.data);\n";

let registry: TestRegistry;
beforeAll(async () => {
  registry = await startRegistry(PACKAGES);
});

async function harbour(trim: unknown, more: object = {}): Promise<string> {
  const manifest = { dependencies: { tides: '1.2.0', horns: '2.0.0' } };
  const root = nodeProject({ 'alert.mjs': CODE }, { trim });
  put(root, {
    'src/package.json': JSON.stringify(manifest),
    'src/package-lock.json': packageLock(manifest, {
      'node_modules/tides': await lockEntry(registry, 'tides@1.2.0', { dependencies: { buoys: '0.4.0' } }),
      'node_modules/buoys': await lockEntry(registry, 'buoys@0.4.0'),
      'node_modules/horns': await lockEntry(registry, 'horns@2.0.0'),
    }),
    '.npmrc': `registry=${registry.npm}\n`,
  });
  const sheet = JSON.parse(readFileSync(join(root, 'emballage.yaml'), 'utf8')) as object;
  put(root, { 'emballage.yaml': JSON.stringify({ ...sheet, ...more }) });
  for (const command of ['lock', 'build']) expect(run(root, [command])).toMatchObject({ stderr: '', status: 0 });
  return root;
}

interface Found {
  readonly level: string;
  readonly where?: string;
  readonly found: string;
  readonly accepted?: object;
}

/** What rules of two groups say: `stop licence/unknown buoys 0.4.0`. */
function saidOf(root: string): string[] {
  const { artifacts } = JSON.parse(run(root, ['check', '--json']).stdout) as {
    artifacts: { rules: { id: string; findings: Found[] }[] }[];
  };
  return (artifacts[0]?.rules ?? [])
    .filter(({ id }) => id.startsWith('licence/') || id === 'deps/advisory')
    .flatMap(({ id, findings }) =>
      findings.map(({ level, where = '', accepted }) =>
        `${accepted === undefined ? level : 'accepted'} ${id} ${where}`.trim(),
      ),
    );
}

const record = (more: object = {}, affected: object = {}): string =>
  JSON.stringify({
    schema_version: '1.6.0',
    id: 'FHV-2026-0003',
    modified: '2026-10-02T00:00:00Z',
    summary: 'A mark is read twice',
    affected: [
      {
        package: { ecosystem: 'npm', name: 'buoys' },
        ranges: [{ type: 'SEMVER', events: [{ introduced: '0' }, { fixed: '0.5.0' }] }],
        ...affected,
      },
    ],
    ...more,
  });

describe('licences of packages', () => {
  it('are what they state, and otherwise what their text says; those that are not packed do not count', async () => {
    const root = await harbour({ traced: 'strict' }, { licences: { allow: ['Apache-2.0'] } });
    expect(saidOf(root)).toEqual(['stop licence/not-allowed buoys 0.4.0', 'note licence/text-missing']);
    const { stdout } = run(root, ['check']);
    expect(stdout).toContain('MIT; tides asks for it');
    const whole = await harbour('off', { licences: { deny: ['MIT'] } });
    // One of two may be chosen.
    expect(saidOf(whole)).toEqual(['stop licence/not-allowed buoys 0.4.0', 'note licence/text-missing']);
  });

  it('may be known to the team, and are held to what it allows', async () => {
    const known = { allow: ['BSD-3-Clause', 'MIT'], known: { 'tides@1.2.0': 'BSD-3-Clause', buoys: 'MIT' } };
    expect(saidOf(await harbour('traced', { licences: known }))).toEqual(['note licence/text-missing']);
  });

  it('that are no identifiers are refused in the sheet, with their place', async () => {
    const root = await harbour('traced');
    const sheet = JSON.parse(readFileSync(join(root, 'emballage.yaml'), 'utf8')) as object;
    put(root, { 'emballage.yaml': JSON.stringify({ ...sheet, licences: { allow: ['Apache two'] } }) });
    expect(run(root, ['check'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('`Apache two`') as unknown,
    });
  });

  it('are found in what others made, by what each package says of itself', () => {
    const root = nodeProject({ 'alert.mjs': 'export const decide = 1;\n' });
    writeFileSync(
      join(root, 'theirs.zip'),
      makeZip([
        { name: 'alert.mjs', data: 'export const decide = () => 1;\n' },
        { name: 'node_modules/buoys/package.json', data: JSON.stringify({ name: 'buoys', version: '1.0.0' }) },
        {
          name: 'lines-2.0.dist-info/METADATA',
          data: 'Metadata-Version: 2.1\nName: lines\nVersion: 2.0\nLicense: Proprietary\n',
        },
        { name: 'META-INF/maven/org.fernhaven/moorings/pom.properties', data: 'version=3.0\n' },
        {
          name: 'META-INF/maven/org.fernhaven/moorings/pom.xml',
          data: '<project><artifactId>moorings</artifactId><licenses><license><name>MIT</name></license></licenses></project>',
        },
      ]),
    );
    const { stdout } = run(root, ['check', 'theirs.zip', '--at', 'slipway']);
    expect(stdout).toContain('none that is known of buoys 1.0.0 and lines 2.0');
    expect(stdout).toContain('none of org.fernhaven:moorings (MIT)');
  });
});

describe('known faults', () => {
  it('stop what reaches them, are noted where they are packed, and nothing where they were left out', async () => {
    const root = await harbour('traced', { advisories: 'advisories' });
    put(root, { 'advisories/npm/1.json': record() });
    expect(saidOf(root)).toContain('stop deps/advisory FHV-2026-0003 buoys');
    expect(run(root, ['check']).stdout).toContain('expected  buoys 0.5.0 or later');
    // A module that nothing reaches is left out by the trace; so is a package.
    const drawn = record({
      id: 'FHV-9',
      affected: [
        {
          package: { ecosystem: 'npm', name: 'tides' },
          versions: ['1.2.0'],
          ecosystem_specific: { imports: [{ path: 'draw.js' }] },
        },
      ],
    });
    const horns = record(
      { id: 'FHV-8' },
      { package: { ecosystem: 'npm', name: 'horns' }, ranges: [{ type: 'SEMVER', events: [{ introduced: '0' }] }] },
    );
    put(root, { 'advisories/npm/1.json': drawn, 'advisories/npm/2.json': horns });
    expect(saidOf(root).filter((one) => one.includes('advisory'))).toEqual(['note deps/advisory FHV-8 horns']);
    const strict = await harbour({ traced: 'strict' }, { advisories: 'advisories' });
    put(strict, { 'advisories/npm/1.json': drawn, 'advisories/npm/2.json': horns });
    expect(saidOf(strict).filter((one) => one.includes('advisory'))).toEqual([]);
    const kept = await harbour('off', { advisories: 'advisories' });
    put(kept, { 'advisories/1.json': drawn });
    expect(saidOf(kept)).toContain('stop deps/advisory FHV-9 tides');
  });

  it('of other versions, other ecosystems, withdrawn, or told under another name are no findings of their own', async () => {
    const root = await harbour('traced', { advisories: 'advisories' });
    put(root, {
      'advisories/old.json': record(
        { id: 'FHV-1' },
        { ranges: [{ type: 'SEMVER', events: [{ introduced: '0' }, { fixed: '0.4.0' }] }] },
      ),
      'advisories/other.json': record({ id: 'FHV-2' }, { package: { ecosystem: 'PyPI', name: 'buoys' } }),
      'advisories/gone.json': record({ id: 'FHV-3', withdrawn: '2026-10-03T00:00:00Z' }),
      'advisories/a.json': record({ id: 'FHV-4', aliases: ['HARBOUR-1'] }),
      'advisories/b.json': record({ id: 'HARBOUR-1', aliases: ['FHV-4'] }),
    });
    expect(saidOf(root).filter((one) => one.includes('advisory'))).toEqual(['stop deps/advisory FHV-4 buoys']);
  });

  it('come from archives, too', async () => {
    const root = await harbour('traced', { advisories: 'all.zip' });
    writeFileSync(join(root, 'all.zip'), makeZip([{ name: 'npm/1.json', data: record(), method: 8 }]));
    expect(saidOf(root)).toContain('stop deps/advisory FHV-2026-0003 buoys');
    writeFileSync(join(root, 'all.zip'), gzipSync(makeTar([{ name: 'npm/1.json', data: record() }])));
    expect(saidOf(root)).toContain('stop deps/advisory FHV-2026-0003 buoys');
  });

  it('are accepted by name, with a reason', async () => {
    const root = await harbour('traced', { advisories: 'advisories' });
    put(root, { 'advisories/1.json': record() });
    const sheet = JSON.parse(readFileSync(join(root, 'emballage.yaml'), 'utf8')) as { functions: { alert: object } };
    const accept = [
      {
        rule: 'deps/advisory',
        where: 'FHV-2026-0003 *',
        reason: 'marks are read once',
        until: '2099-01-31',
        because: 'code_not_reachable',
      },
    ];
    put(root, {
      'emballage.yaml': JSON.stringify({ ...sheet, functions: { alert: { ...sheet.functions.alert, accept } } }),
    });
    expect(saidOf(root)).toContain('accepted deps/advisory FHV-2026-0003 buoys');
  });

  it.each([
    [
      'ranges that begin nowhere',
      record({}, { ranges: [{ type: 'SEMVER', events: [{ fixed: '1.0.0' }] }] }),
      'nothing says where it begins',
    ],
    [
      'versions that are none',
      record({}, { ranges: [{ type: 'SEMVER', events: [{ introduced: '0' }, { fixed: 'the spring tide' }] }] }),
      'the spring tide',
    ],
    [
      'ranges of another kind',
      record({}, { ranges: [{ type: 'MOON', events: [{ introduced: '0' }] }] }),
      '`SEMVER`, `ECOSYSTEM` or `GIT`',
    ],
    ['something else', 'high tide at noon', 'a record, as JSON'],
    ['half of it', record().slice(0, -20), 'a record'],
  ])('with %s are refused, with the file', async (_, text, word) => {
    const root = await harbour('traced', { advisories: 'advisories' });
    put(root, { 'advisories/1.json': text });
    const { status, stderr } = run(root, ['check']);
    expect(status).toBe(2);
    expect(stderr).toContain('advisories/1.json');
    expect(stderr).toContain(word);
  });

  it('that are not there are told', async () => {
    const root = await harbour('traced', { advisories: 'advisories' });
    expect(run(root, ['check'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('nothing there') as unknown,
    });
    mkdirSync(join(root, 'advisories'));
    expect(run(root, ['check'])).toMatchObject({ stderr: '' });
  });
});
