import { spawn } from 'node:child_process';
import { generateKeyPairSync, randomBytes } from 'node:crypto';
import { cpSync, existsSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { itNeeds, programNeed } from '../support/needs';
import { writeMany } from '../support/many-functions';
import { environment, folderWith, HORN, PROGRAM, project, put, run, type Outcome } from '../support/program';
import { serverNeed, realRegistry, standInRegistry, type TestRegistry } from '../support/registry';

interface Built {
  readonly targets: readonly { readonly name: string; readonly status: string; readonly sha256: string }[];
  readonly store?: { readonly fetched: number; readonly sent: number; readonly refused: number };
}

const NAMESPACE = 'fernhaven-store';
const storeEnv = (host: string, write = true): NodeJS.ProcessEnv => ({
  EMBALLAGE_STORE: `${host}/${NAMESPACE}`,
  EMBALLAGE_STORE_WRITE: write ? '1' : '0',
});

function build(
  root: string,
  env: NodeJS.ProcessEnv,
  args: readonly string[] = [],
): Built & { readonly stderr: string } {
  const { status, stdout, stderr } = run(root, ['build', '--json', ...args], { env });
  expect([status, stderr.includes('error')]).toEqual([0, false]);
  return { ...(JSON.parse(stdout) as Built), stderr };
}

const statuses = ({ targets }: Built): Record<string, number> => {
  const all: Record<string, number> = {};
  for (const { status } of targets) all[status] = (all[status] ?? 0) + 1;
  return all;
};
const digests = ({ targets }: Built): string[] => targets.map(({ name, sha256 }) => `${name} ${sha256}`).sort();

/** A copy of a project as another machine has it: nothing kept, another folder. */
function elsewhere(root: string): string {
  const other = join(folderWith({}), 'checkout');
  cpSync(root, other, { recursive: true, filter: (path) => !/\/(?:out|\.emballage)$/.test(path) });
  return other;
}

describe('a shared store', () => {
  let registry: TestRegistry;
  beforeAll(async () => {
    registry = await standInRegistry(folderWith({}));
  });

  it('gives to others what one has built, byte for byte, and nothing where that is not allowed', () => {
    const root = project({ 'horn.mjs': HORN, 'data/tide.csv': 'h\n' });
    const env = storeEnv(registry.host);
    expect(build(elsewhere(root), storeEnv(registry.host, false)).store).toMatchObject({ fetched: 0, sent: 0 });
    const first = build(root, env);
    expect([statuses(first), first.store]).toMatchObject([{ built: 1 }, { fetched: 0, sent: 1, refused: 0 }]);
    const other = elsewhere(root);
    const second = build(other, env);
    expect([statuses(second), second.store]).toMatchObject([{ fetched: 1 }, { fetched: 1, sent: 0, refused: 0 }]);
    expect(digests(second)).toEqual(digests(first));
    for (const name of ['horn.zip', 'horn.waybill.json'])
      expect(readFileSync(join(other, 'out/horn/arm64', name))).toEqual(
        readFileSync(join(root, 'out/horn/arm64', name)),
      );
    // What was fetched is as good as what was made.
    expect(statuses(build(other, env))).toEqual({ unchanged: 1 });
    expect(run(other, ['check'])).toMatchObject({ status: 0 });
    expect(run(other, ['why', 'horn', 'tide.csv'])).toMatchObject({ status: 0 });
    put(other, { 'src/horn.mjs': `${HORN}// louder\n` });
    expect(statuses(build(other, env))).toEqual({ built: 1 });
  });

  it('is told of in the sheet, too', () => {
    const root = project({ 'horn.mjs': HORN }, {}, {});
    const sheet = join(root, 'emballage.yaml');
    const text = readFileSync(sheet, 'utf8').replace(
      /^\{/,
      `{"store":{"registry":"${registry.host}/of-sheet","write":true},`,
    );
    put(root, { 'emballage.yaml': text });
    expect(build(root, {}).store).toMatchObject({ sent: 1 });
    expect(build(elsewhere(root), {}).store).toMatchObject({ fetched: 1 });
    expect(build(elsewhere(root), { EMBALLAGE_STORE: 'none' }).store).toBeUndefined();
  });

  describe('with keys', () => {
    const keys = (): { pub: string; secret: string } => {
      const { publicKey, privateKey } = generateKeyPairSync('ed25519');
      const as = { format: 'pem' } as const;
      return {
        pub: publicKey.export({ type: 'spki', ...as }).toString(),
        secret: privateKey.export({ type: 'pkcs8', ...as }).toString(),
      };
    };
    const signed = (namespace: string, pub: string): string => {
      const root = project({ 'horn.mjs': HORN, 'x.txt': namespace });
      const text = readFileSync(join(root, 'emballage.yaml'), 'utf8').replace(
        /^\{/,
        `{"store":{"registry":"${registry.host}/${namespace}","write":true,"signed-by":["ci.pem"]},`,
      );
      put(root, { 'emballage.yaml': text, 'ci.pem': pub });
      return root;
    };

    it('takes only what one of them has signed', () => {
      const [own, foreign] = [keys(), keys()];
      const folder = folderWith({ 'own.pem': own.secret, 'foreign.pem': foreign.secret });
      const root = signed('signed', own.pub);
      const withKey = (name: string): NodeJS.ProcessEnv => ({ EMBALLAGE_STORE_KEY: join(folder, name) });
      build(root, {});
      const unsigned = build(elsewhere(root), withKey('foreign.pem'));
      expect(unsigned.stderr).toMatch(
        /refused what the shared store .* has as target [0-9a-f]{12}: it is not signed; made here instead/,
      );
      expect([statuses(unsigned), unsigned.store]).toMatchObject([{ built: 1 }, { refused: 1, sent: 1 }]);
      const others = build(elsewhere(root), withKey('own.pem'));
      expect(others.stderr).toContain('its signature is of none of the keys that are trusted');
      expect(statuses(build(elsewhere(root), {}))).toEqual({ fetched: 1 });
    });

    it.each([
      ['a key that is none', { EMBALLAGE_STORE_KEY: '/dev/null' }, 'EMBALLAGE_STORE_KEY'],
      ['a place that is none', { EMBALLAGE_STORE: 'not a place' }, '`HOST[:PORT]/NAMESPACE`, or `none`'],
      ['another word for yes', { EMBALLAGE_STORE_WRITE: 'yes' }, '`1` or `0`'],
    ])('refuses %s', (_what, env, said) => {
      const { status, stderr } = run(signed('bad', keys().pub), ['build'], { env });
      expect([status, stderr]).toEqual([2, expect.stringContaining(said)]);
    });
  });

  it('is gone on without where nobody answers, and that is said once', () => {
    const many = folderWith({});
    writeMany(many, 6, { languages: ['python', 'node'] });
    const { stderr, store, ...built } = build(elsewhere(many), storeEnv('127.0.0.1:1'));
    expect([statuses(built), store?.fetched]).toEqual([{ built: 6 }, 0]);
    expect(stderr.match(/going on without the shared store/g)).toHaveLength(1);
    expect(statuses(build(elsewhere(many), storeEnv('127.0.0.1:1'), ['--offline']))).toEqual({ built: 6 });
  });

  it.each([
    ...['unauthorized', 'busy', 'failing', 'flaky', 'cut-downloads', 'cut-uploads', 'wrong-digest', 'short-blobs'],
    ...['endless-blobs', 'redirects-away'],
  ])('does no harm when its registry is one that is %s', async (fault) => {
    const server = await standInRegistry(folderWith({}), ['--misbehave', fault]);
    // Larger than what travels within a manifest.
    const root = project({ 'horn.mjs': HORN, 'noise.bin': randomBytes(300_000) });
    const alone = build(root, { EMBALLAGE_STORE: 'none' });
    for (const _ of [1, 2]) {
      const { stderr, ...built } = build(elsewhere(root), storeEnv(server.host));
      expect(digests(built)).toEqual(digests(alone));
      expect(stderr.match(/shared store/g)?.length ?? 0).toBeLessThanOrEqual(1);
    }
    await server.end();
  });

  it('is gone on without where it takes a connection and says nothing', async () => {
    const code =
      "const s = require('net').createServer(() => {}).listen(0, '127.0.0.1', () => console.log(s.address().port))";
    const silent = spawn(process.execPath, ['-e', code], { stdio: ['ignore', 'pipe', 'ignore'] });
    const port = await new Promise<string>((resolve) =>
      silent.stdout.once('data', (said: Buffer) => resolve(String(said).trim())),
    );
    // It ends by itself, long before the server would have to answer.
    const { stderr, ...built } = build(project({ 'horn.mjs': HORN }), storeEnv(`127.0.0.1:${port}`));
    expect([statuses(built), stderr]).toEqual([{ built: 1 }, expect.stringContaining('it takes too long')]);
    silent.kill();
  });

  it('is tidied by age and size', () => {
    const env = { EMBALLAGE_STORE: `${registry.host}/to-tidy`, EMBALLAGE_STORE_WRITE: '1' };
    const root = project({ 'horn.mjs': HORN, 'tidy.txt': 'tidy' });
    build(root, env);
    const tidy = (...args: string[]): Outcome => run(root, ['tidy', '--shared', ...args], { env });
    expect(tidy('--older', '1 hour').stdout).toContain('0 results went');
    expect(tidy('--over', '0 B', '--dry-run').stdout).toContain('1 result would go');
    expect(tidy('--over', '0 B').stdout).toContain('1 result went');
    expect(build(elsewhere(root), env).store).toMatchObject({ fetched: 0 });
    expect(tidy()).toMatchObject({ status: 2 });
    expect(run(root, ['tidy', '--older', 'soon'])).toMatchObject({ status: 2 });
  });
});

describe('a share', () => {
  it('is the same split everywhere, and nothing is in two or in none', () => {
    const root = folderWith({});
    const names = writeMany(root, 24, { languages: ['python', 'node'] });
    const env = { EMBALLAGE_STORE: 'none' };
    const parts = ['1/3', '2/3', '3/3'].map((share) =>
      build(elsewhere(root), env, ['--part', share]).targets.map(({ name }) => name),
    );
    expect(parts.flat().sort()).toEqual([...names].sort());
    expect(parts.map(({ length }) => length)).toEqual([8, 8, 8]);
    const own = elsewhere(root);
    build(own, env, ['--part', '2/3']);
    const { artifacts } = JSON.parse(run(own, ['check', '--json', '--part', '2/3']).stdout) as {
      artifacts: { name: string }[];
    };
    expect(artifacts.map(({ name }) => name).sort()).toEqual([...(parts[1] ?? [])].sort());
    // What is left is made, what is there stays.
    expect(statuses(build(own, env))).toEqual({ built: 16, unchanged: 8 });
  });

  it.each(['0/3', '4/3', '2', 'a/b', '1/5000'])('refuses %s', (share) => {
    expect(run(project({ 'horn.mjs': HORN }), ['build', '--part', share])).toMatchObject({ status: 2 });
  });
});

const PROGRAMS = ['gcc', 'go', 'rustc', 'javac', 'python3'];
const itWithAll = itNeeds(serverNeed, ...PROGRAMS.map(programNeed));

describe('functions in six languages, and a registry as others run it', () => {
  const started = (root: string, env: NodeJS.ProcessEnv, args: readonly string[]) =>
    spawn(process.execPath, [PROGRAM, 'build', '--json', ...args], {
      cwd: root,
      env: { ...environment(root), ...env },
      stdio: 'ignore',
      detached: true,
    });

  const MANY = 32;
  itWithAll(
    'are made by workers of which one is killed and another is misled, while the registry stops and starts',
    async () => {
      const folder = folderWith({});
      const registry = await realRegistry(undefined, folder);
      const port = Number(registry.host.split(':')[1]);
      const env = storeEnv(registry.host);
      const root = folderWith({});
      writeMany(root, MANY);
      // The first worker is killed in the middle.
      const killed = elsewhere(root);
      const first = started(killed, env, ['--part', '1/2']);
      while (!existsSync(join(killed, 'out')) || readdirSync(join(killed, 'out')).length < 8) await sleep(50);
      process.kill(-(first.pid ?? 0), 'SIGKILL');
      // The second has the registry taken away, and given back.
      const second = elsewhere(root);
      const child = started(second, env, ['--part', '2/2']);
      const ended = new Promise<number | null>((resolve) => child.once('exit', resolve));
      await sleep(1500);
      await registry.end();
      const again = await realRegistry(undefined, folder, port);
      expect(await ended).toBe(0);
      // Two at once make what is missing, and write the same keys.
      const [a, b] = [elsewhere(root), elsewhere(root)];
      const both = await Promise.all(
        [a, b].map((one) => new Promise<number | null>((resolve) => started(one, env, []).once('exit', resolve))),
      );
      expect(both).toEqual([0, 0]);
      // A fresh one finds all of it.
      const fresh = elsewhere(root);
      const found = build(fresh, storeEnv(again.host, false));
      expect(statuses(found)).toEqual({ fetched: MANY });
      const made = build(b, { EMBALLAGE_STORE: 'none' });
      expect([statuses(made), digests(found)]).toEqual([{ unchanged: MANY }, digests(made)]);
      // One that misleads puts what it made under the name of another.
      const tags = (
        (await (await fetch(`http://${again.host}/v2/${NAMESPACE}/tags/list`)).json()) as { tags: string[] }
      ).tags;
      const targets = tags.filter((tag) => tag.startsWith('target-'));
      const accept = { accept: 'application/vnd.oci.image.manifest.v1+json' };
      const wrong = await (
        await fetch(`http://${again.host}/v2/${NAMESPACE}/manifests/${targets[0] ?? ''}`, { headers: accept })
      ).text();
      for (const tag of targets.slice(1, 4))
        await fetch(`http://${again.host}/v2/${NAMESPACE}/manifests/${tag}`, {
          method: 'PUT',
          body: wrong,
          headers: { 'content-type': accept.accept },
        });
      const misled = build(elsewhere(root), storeEnv(again.host, false));
      expect(misled.store?.refused).toBe(3);
      expect(digests(misled)).toEqual(digests(made));
      rmSync(fresh, { recursive: true });
    },
    300_000,
  );
});
