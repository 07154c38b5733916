/** Where packages come from when the sheet does not say: what the client of each ecosystem would ask. */
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { INTAKE, LEVELS, packageFiles, packageFolder, pythonProject, startTestIndex } from '../support';
import { DEMO, jvmProject } from '../support/jvm';
import { levelsLock, levelsProject, startRegistry, LEVELS_PACKAGES } from '../support/npm';
import { folderWith, pathTo, put, run, type Outcome } from '../support/program';

type Env = Readonly<Record<string, string | undefined>>;

interface LockView {
  readonly functions: Readonly<
    Record<
      string,
      { sources?: { at: string; why: string }[]; targets: Record<string, { name: string; from: string }[]> }
    >
  >;
}
const lockOf = (root: string): LockView => JSON.parse(readFileSync(join(root, 'emballage.lock'), 'utf8')) as LockView;
const sourcesOf = (root: string, name: string) => lockOf(root).functions[name]?.sources;
const whyOf = (root: string, name: string) => sourcesOf(root, name)?.map(({ why }) => why);

/** Commands run with a home of their own, in which nothing stands. */
const lock = (root: string, env: Env = {}): Outcome =>
  run(root, ['lock', '--verbose'], { env: { HOME: join(root, 'home'), PIP_CONFIG_FILE: undefined, ...env } });

const offered = packageFolder(packageFiles('levels', '1.0', { 'levels.py': LEVELS }));
const others = packageFolder(
  packageFiles('levels', '9.0', { 'levels.py': LEVELS }),
  packageFiles('datum', '1.0', { 'datum.py': 'ZERO = 0\n' }),
);

describe('requirements of Python without `sources`', () => {
  const project = (requirements = 'levels\n'): string =>
    pythonProject({ 'intake.py': INTAKE, 'requirements.txt': requirements });

  it('come from where pip would look: variables before files, the section of the command before the common one', async () => {
    const { url } = await startTestIndex(offered);
    const root = project();
    put(root, {
      'home/.config/pip/pip.conf': `[global]\nindex-url = https://gone.example/simple\n[install]\nindex-url =\n  ${url}\n`,
    });
    const { stdout, status, stderr } = lock(root);
    expect([status, stderr]).toEqual([0, '']);
    expect(stdout).toContain(`Asked for packages\n  ${url}, \`index-url\` in ~/.config/pip/pip.conf: intake`);
    expect(sourcesOf(root, 'intake')).toEqual([{ at: url, why: '`index-url` in ~/.config/pip/pip.conf' }]);
    // What is settled stays settled, whatever other machines ask.
    expect(lock(root, { PIP_INDEX_URL: 'https://gone.example/simple' }).stdout).toContain('unchanged');
    const again = project();
    put(again, { 'home/.pip/pip.conf': '[global]\nindex-url = https://gone.example/simple\n' });
    expect(lock(again, { PIP_INDEX_URL: url })).toMatchObject({ status: 0 });
    expect(whyOf(again, 'intake')).toEqual(['PIP_INDEX_URL']);
  });

  it('come from where a requirements file says, unless the sheet does', async () => {
    const [{ url }, more] = [await startTestIndex(offered), await startTestIndex(others)];
    const text = `--index-url ${url}\n--extra-index-url ${more.url}\nlevels\ndatum\n`;
    const root = project(text);
    const { status, stderr } = lock(root, { PIP_INDEX_URL: 'https://gone.example/simple' });
    expect([status, whyOf(root, 'intake')]).toEqual([0, ['src/requirements.txt:1', 'src/requirements.txt:2']]);
    expect(stderr).toContain(`note: levels is at ${url} and at ${more.url}; the first was taken.`);
    expect(stderr).not.toContain('datum');
    expect(
      lockOf(root).functions.intake?.targets.x86_64?.map(({ name, from }) => [name, /-(\d\.0)/.exec(from)?.[1]]),
    ).toEqual([
      ['datum', '1.0'],
      ['levels', '1.0'],
    ]);
    const stated = pythonProject({ 'intake.py': INTAKE, 'requirements.txt': text }, { sources: [{ index: more.url }] });
    expect(lock(stated)).toMatchObject({ status: 0, stderr: expect.stringContaining('is passed over') as string });
    expect(whyOf(stated, 'intake')).toEqual(['`sources` in the sheet']);
  });

  it('are looked for in folders and pages of links beside the index, as installers do', async () => {
    const { url } = await startTestIndex(offered);
    const root = project('levels>2\n');
    const found = await startTestIndex(others);
    const file = /href="([^"#]+\.whl)/.exec(await (await fetch(`${found.url}/levels/`)).text())?.[1] ?? '';
    const wheel = Buffer.from(await (await fetch(new URL(file, `${found.url}/levels/`))).arrayBuffer());
    mkdirSync(join(root, 'wheels'));
    writeFileSync(join(root, 'wheels', file.split('/').at(-1) ?? ''), wheel);
    expect(lock(root, { PIP_INDEX_URL: url, PIP_FIND_LINKS: `wheels ${join(root, 'none')}` })).toMatchObject({
      status: 0,
      stderr: `note: ${join(root, 'none')} is no folder, and not looked into (PIP_FIND_LINKS)\n`,
    });
    expect(lockOf(root).functions.intake?.targets.x86_64?.[0]?.from).toMatch(/^wheels\/levels-9\.0/);
    expect(run(root, ['build']).status).toBe(0);
  });

  it('says what is wrong with the settings, and goes on where that is right', async () => {
    const { url } = await startTestIndex(offered);
    const root = project();
    put(root, { 'home/.config/pip/pip.conf': `[global]\nindx-url = https://gone.example\ntrusted-host = a.example\n` });
    const { status, stderr } = lock(root, { PIP_INDEX_URL: url });
    expect(status).toBe(0);
    expect(stderr).toContain(
      'note: ~/.config/pip/pip.conf:2: `indx-url` means nothing to pip; `index-url` may be meant',
    );
    expect(stderr).toContain('note: certificates of a.example are verified all the same');
    const broken = project();
    put(broken, { 'home/.config/pip/pip.conf': 'index-url = https://a.example\n' });
    expect(lock(broken)).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('~/.config/pip/pip.conf:1:1') as string,
    });
    const page = await startRegistry(LEVELS_PACKAGES);
    const html = project();
    const answer = lock(html, { PIP_INDEX_URL: page.npm });
    expect([answer.status, existsSync(join(html, 'emballage.lock'))]).toEqual([2, false]);
    const certificates = lock(project(), { PIP_INDEX_URL: url, PIP_CERT: '/none.pem' });
    expect(certificates).toMatchObject({ status: 2, stderr: expect.stringContaining('PIP_CERT') as string });
  });

  it('logs in with what stands in the address, and writes it nowhere', async () => {
    const { url } = await startTestIndex(offered, ['--login', 'keeper:s3cret-tide']);
    const root = project();
    const env = { PIP_INDEX_URL: url.replace('://', '://keeper:s3cret-tide@') };
    expect(lock(root, env)).toMatchObject({ status: 0 });
    expect(readFileSync(join(root, 'emballage.lock'), 'utf8')).not.toContain('s3cret');
    expect(run(root, ['build'], { env })).toMatchObject({ status: 0 });
  });

  it('asks pip itself where nothing says', () => {
    const root = project();
    const pip = join(folderWith({}), 'pip3');
    writeFileSync(
      pip,
      '#!/bin/sh\necho "  -i, --index-url <url>  Base URL (default http://127.0.0.1:9/simple). More."\n',
      { mode: 0o755 },
    );
    const { status, stderr } = lock(root, { PATH: `${join(pip, '..')}:${pathTo('node', 'sh')}` });
    expect([status, stderr.includes('http://127.0.0.1:9/simple/levels/')]).toEqual([3, true]);
  });
});

describe('packages of Node.js without `sources`', () => {
  it('come from the registry that variables and files name, or that the sheet does', async () => {
    const registry = await startRegistry(LEVELS_PACKAGES);
    const entries = await levelsLock(registry);
    for (const entry of Object.values(entries)) Reflect.deleteProperty(entry, 'resolved');
    const root = await levelsProject(registry, entries);
    put(root, { '.npmrc': '' });
    const registries = { npm_config_userconfig: undefined };
    expect(lock(root, { ...registries, NPM_CONFIG_REGISTRY: registry.npm })).toMatchObject({ status: 0, stderr: '' });
    expect(sourcesOf(root, 'alert')).toEqual([{ at: registry.npm, why: 'NPM_CONFIG_REGISTRY' }]);
    const own = await levelsProject(registry, entries);
    put(own, { '.npmrc': 'regestry=https://gone.example\n', 'home/.npmrc': `registry=${registry.npm}\n` });
    expect(lock(own, registries)).toMatchObject({
      status: 0,
      stderr: 'note: .npmrc:1: `regestry` means nothing to npm; `registry` may be meant\n',
    });
    expect(whyOf(own, 'alert')).toEqual(['`registry` in home/.npmrc']);
    const sheet = await levelsProject(registry, entries);
    put(sheet, { '.npmrc': 'registry=https://gone.example\n' });
    const text = readFileSync(join(sheet, 'emballage.yaml'), 'utf8');
    put(sheet, { 'emballage.yaml': text.replace('"entry"', `"sources":[{"index":"${registry.npm}"}],"entry"`) });
    expect(lock(sheet, registries)).toMatchObject({ status: 0 });
    expect(whyOf(sheet, 'alert')).toEqual(['`sources` in the sheet']);
  });

  it('asks npm itself where nothing says, and says where that leads', async () => {
    const registry = await startRegistry(LEVELS_PACKAGES);
    const entries = await levelsLock(registry);
    for (const entry of Object.values(entries)) Reflect.deleteProperty(entry, 'resolved');
    const root = await levelsProject(registry, entries);
    put(root, { '.npmrc': '' });
    const npm = join(folderWith({}), 'npm');
    writeFileSync(npm, `#!/bin/sh\necho ${registry.npm}\n`, { mode: 0o755 });
    expect(lock(root, { PATH: `${join(npm, '..')}:${pathTo('node', 'sh')}` })).toMatchObject({ status: 0 });
    expect(whyOf(root, 'alert')).toEqual(['npm’s own default']);
  });
});

describe('dependencies of the JVM without `sources`', () => {
  const pom = (repositories = ''): string =>
    `<project><modelVersion>4.0.0</modelVersion><groupId>a</groupId><artifactId>b</artifactId><version>1</version>${repositories}<dependencies><dependency><groupId>com.fernhaven</groupId><artifactId>mooringbook</artifactId><version>3.0.0</version></dependency></dependencies></project>`;
  const offline = { PATH: pathTo('node', 'javac', 'java'), MAVEN_HOME: undefined, M2_HOME: undefined };

  it('come from the POM, active profiles of settings, and mirrors; what a mirror blocks is not asked', async () => {
    const index = await startTestIndex(join(DEMO, 'fernhaven-packages'));
    const maven = index.url.replace('/simple', '/maven');
    const group =
      /<groupId>([^<]+)/.exec(readFileSync(join(DEMO, 'fernhaven-packages/mooringbook-3.0.0/pom.xml'), 'utf8'))?.[1] ??
      '';
    const text = (repositories?: string): string => pom(repositories).replace('com.fernhaven', group);
    const source = { 'B.java': 'public class B { public Object plan(Object e, Object c) { return 1; } }' };
    const own = jvmProject({
      ...source,
      'pom.xml': text(
        `<properties><at>${maven}</at></properties><repositories><repository><id>pier</id><url>\${at}</url></repository></repositories>`,
      ),
    });
    expect(lock(own, offline)).toMatchObject({ status: 0 });
    const [name = ''] = Object.keys(lockOf(own).functions);
    expect(sourcesOf(own, name)).toEqual([{ at: maven, why: '`pier` in f/pom.xml' }]);
    const settings = jvmProject({ ...source, 'pom.xml': text() });
    put(settings, {
      'home/.m2/settings.xml': `<settings><profiles><profile><id>house</id><repositories><repository><id>far</id><url>http://far.example/m</url></repository><repository><id>old</id><url>http://old.example/m</url></repository></repositories></profile></profiles><activeProfiles><activeProfile>house</activeProfile></activeProfiles><mirrors><mirror><id>near</id><url>${maven}</url><mirrorOf>far</mirrorOf></mirror><mirror><id>none</id><url>http://0.0.0.0/</url><mirrorOf>external:http:*</mirrorOf><blocked>true</blocked></mirror></mirrors></settings>`,
    });
    const { status, stderr } = lock(settings, offline);
    expect([status, stderr]).toEqual([
      0,
      'note: http://old.example/m (~/.m2/settings.xml) is not asked: the mirror `none` blocks it\n',
    ]);
    expect(whyOf(settings, name)).toEqual(['`far` in ~/.m2/settings.xml']);
    const none = jvmProject({ ...source, 'pom.xml': text() });
    expect(lock(none, offline)).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('no Maven here') as string,
    });
  });
});

describe('modules of Go and crates of Rust without `sources`', () => {
  const zip = Buffer.from('UEsFBgAAAAAAAAAAAAAAAAAAAAAAAA==', 'base64');
  const EMPTY = 'h1:47DEQpj8HBSa+/TImW+5JCeuQeRkm5NMpJWZG3hSuFU=';

  function compiled(runtime: 'go' | 'rust', files: Record<string, string>): string {
    const sheet = {
      project: 'fernhaven-tides',
      destinations: { slipway: 'slipway.yaml' },
      functions: {
        f: {
          source: 'f',
          runtime,
          entry: runtime === 'go' ? 'main.go' : 'main.rs',
          artifact: 'binary',
          arch: ['x86_64'],
          destination: 'slipway',
        },
      },
    };
    return folderWith({
      'emballage.yaml': JSON.stringify(sheet),
      'slipway.yaml': 'destination: slipway\narch: [x86_64]\naccepts: { binary: {} }\nruntimes: { native: {} }\n',
      ...Object.fromEntries(Object.entries(files).map(([path, text]) => [`f/${path}`, text])),
      'f/main.go': 'package main\n',
      'f/main.rs': 'fn main() {}\n',
    });
  }

  it('come from GOPROXY, but not what Go keeps from proxies', () => {
    const root = compiled('go', { 'go.mod': 'module f\n', 'go.sum': `tide.example/levels v1.0.0 ${EMPTY}\n` });
    mkdirSync(join(root, 'proxy/tide.example/levels/@v'), { recursive: true });
    writeFileSync(join(root, 'proxy/tide.example/levels/@v/v1.0.0.zip'), zip);
    const env = { PATH: pathTo('node'), GOPROXY: `file://${root}/proxy,direct` };
    expect(lock(root, env)).toMatchObject({ status: 0 });
    expect(sourcesOf(root, 'f')).toEqual([{ at: 'proxy', why: 'GOPROXY' }]);
    const kept = compiled('go', { 'go.mod': 'module f\n', 'go.sum': `tide.example/levels v1.0.0 ${EMPTY}\n` });
    const refused = (more: Env): string => lock(kept, { ...env, ...more }).stderr;
    expect(refused({ GOPROXY: 'off' })).toContain('GOPROXY off');
    expect(refused({ GOPRIVATE: '*.example' })).toContain('one that GOPRIVATE keeps from proxies');
    expect(refused({ GOPRIVATE: '*.example', GONOPROXY: 'other.example' })).toBe('');
  });

  it('come from the registry that Cargo’s settings put in the place of another', () => {
    const crate = Buffer.from('a crate');
    const sha256 = createHash('sha256').update(crate).digest('hex');
    const text = `version = 3\n[[package]]\nname = "levels"\nversion = "1.2.0"\nsource = "registry+https://usual.example/index"\nchecksum = "${sha256}"\n`;
    const root = compiled('rust', {
      'Cargo.lock': text,
      '.cargo/config.toml':
        '[source.crates-io]\nreplace-with = "near"\n[source.near]\nreplace-with = "nearer"\n[source.nearer]\nlocal-registry = "crates"\n',
    });
    put(root, { 'f/crates/levels-1.2.0.crate': crate });
    expect(lock(root)).toMatchObject({ status: 0 });
    expect(sourcesOf(root, 'f')).toEqual([
      { at: 'f/crates', why: expect.stringContaining('`source.near.replace-with` in ') as string },
    ]);
    put(root, {
      'f/.cargo/config.toml': '[source.crates-io]\nreplace-with = "a"\n[source.a]\nreplace-with = "crates-io"\n',
      'f/Cargo.lock': `${text}\n`,
    });
    const changed = compiled('rust', {
      'Cargo.lock': text,
      '.cargo/config.toml': '[source.crates-io]\nreplace-with = "a"\n[source.a]\nreplace-with = "crates-io"\n',
    });
    expect(lock(changed)).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('sources that replace each other') as string,
    });
    const broken = compiled('rust', { 'Cargo.lock': text, '.cargo/config.toml': '[source\n' });
    expect(lock(broken)).toMatchObject({ status: 2, stderr: expect.stringMatching(/config\.toml:1:\d+/) as string });
    const none = compiled('rust', { 'Cargo.lock': text });
    expect(lock(none, { PATH: pathTo('node') })).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('no Cargo here') as string,
    });
  });
});
