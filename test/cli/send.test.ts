import { spawn } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { layoutFolder, makeImage } from '../support/images';
import { environment, folderWith, forget, HORN, PROGRAM, put, run, type RunOptions } from '../support/program';
import { itWithServer, realRegistry, standInRegistry, type TestRegistry } from '../support/registry';
import { pageAt } from '../support/page';

interface SentDocument {
  readonly sent: readonly {
    readonly isSame: boolean;
    readonly delivery: { digest: string; tags: string[]; repository: string; artifacts: Record<string, string> };
    readonly blobs: readonly { how: string; size: number }[];
  }[];
}

const LAYER = [
  { name: 'usr/bin/node', data: '#!/usr/bin/sh\n', mode: 0o755 },
  { name: 'usr/bin/sh', data: 'sh', mode: 0o755 },
];

/** A project with images `horn` and `bell`, sent to a registry. */
function harbour(host: string, more: Readonly<Record<string, string | Buffer>> = {}): string {
  const spec = {
    source: 'src',
    runtime: 'node 20',
    entry: 'horn.mjs#sound',
    artifact: 'image',
    base: { layout: 'base' },
  };
  const sheet = {
    project: 'fernhaven-tides',
    destinations: { moorings: 'moorings.yaml' },
    defaults: { destination: 'moorings', arch: ['x86_64'] },
    functions: { horn: spec, bell: { ...spec, labels: { other: 'yes' } } },
  };
  const root = folderWith({ 'emballage.yaml': JSON.stringify(sheet), 'src/horn.mjs': HORN, ...more });
  pointAt(root, host);
  layoutFolder(join(root, 'base'), [{ layers: [[...LAYER, { name: 'big', data: randomBytes(100_000) }]] }]);
  expect(run(root, ['lock']).status).toBe(0);
  expect(run(root, ['build']).status).toBe(0);
  return root;
}

function pointAt(root: string, host: string): void {
  put(root, {
    'moorings.yaml': `destination: moorings\narch: [x86_64]\naccepts: { image: {} }\nruntimes: {}\nregistry: ${host}/fernhaven\n`,
  });
}

function send(root: string, args: readonly string[], options: RunOptions = {}): SentDocument['sent'] {
  const outcome = run(root, ['send', ...args, '--json'], options);
  expect(outcome).toMatchObject({ stderr: '', status: 0 });
  return (JSON.parse(outcome.stdout) as SentDocument).sent;
}

const tagsOf = async (host: string, name: string): Promise<unknown> =>
  (JSON.parse(await pageAt(`http://${host}/v2/fernhaven/${name}/tags/list`)) as { tags: unknown }).tags;
const ledger = (root: string): { deliveries: { recalled?: string }[] } =>
  JSON.parse(readFileSync(join(root, 'emballage.ledger'), 'utf8')) as { deliveries: { recalled?: string }[] };

describe('sending', () => {
  it('promotes an image to another registry and to a folder and back, always the same', async () => {
    const [{ host }, other] = await Promise.all([standInRegistry(folderWith({})), standInRegistry(folderWith({}))]);
    const root = harbour(host);
    const sheet = JSON.parse(readFileSync(join(root, 'emballage.yaml'), 'utf8')) as { destinations: object };
    const place = (name: string, deliver: string): string =>
      `destination: ${name}\narch: [x86_64]\naccepts: { image: {} }\nruntimes: {}\ndeliver: ${deliver}\n`;
    put(root, {
      'emballage.yaml': JSON.stringify({
        ...sheet,
        destinations: { ...sheet.destinations, second: 'second.yaml', jetty: 'jetty.yaml' },
      }),
      'second.yaml': place('second', `{ registry: ${other.host}/tides }`),
      'jetty.yaml': place('jetty', '{ folder: jetty }'),
      'jetty/.keep': '',
    });
    const [first] = send(root, ['horn']);
    send(root, ['horn', '--to', 'jetty']);
    rmSync(join(root, 'out'), { recursive: true });
    const [second] = send(root, ['horn', '--to', 'second', '--from', 'moorings']);
    expect(second?.delivery.digest).toBe(first?.delivery.digest);
    expect(send(root, ['horn', '--to', 'second', '--from', 'jetty'])[0]?.isSame).toBe(true);
    expect(run(root, ['send', 'horn', '--to', 'jetty', '--from', 'second']).stderr).toContain('leave `--from` out');
  });

  it('delivers what is not there, notes it, and takes it back', async () => {
    const { host, requests } = await standInRegistry(folderWith({}));
    const root = harbour(host);
    const [first] = send(root, ['horn']);
    expect(first?.blobs.map(({ how }) => how)).toEqual(['sent', 'sent', 'sent']);
    expect(first?.delivery.tags).toEqual([first?.delivery.digest.slice(7, 19)]);
    const [again] = send(root, ['horn']);
    expect([again?.isSame, again?.blobs, ledger(root).deliveries.length]).toEqual([true, [], 1]);
    const [tagged] = send(root, ['horn', '--tag', '1.0', '--tag', 'latest']);
    expect(tagged?.blobs.every(({ how }) => how === 'there')).toBe(true);
    const [bell] = send(root, ['bell']);
    expect(bell?.blobs.map(({ how }) => how)).toContain('mounted');
    requests.length = 0;
    put(root, { 'src/horn.mjs': `${HORN}// louder\n` });
    expect(run(root, ['send', 'horn']).stderr).toContain('build horn`');
    expect(requests).toEqual([]);
    expect(run(root, ['build', 'horn']).status).toBe(0);
    const [changed] = send(root, ['horn', '--tag', '1.1']);
    const bytes = changed?.blobs.filter(({ how }) => how === 'sent').reduce((sum, { size }) => sum + size, 0) ?? 0;
    expect([bytes > 0, bytes < 8000]).toEqual([true, true]);
    expect(await tagsOf(host, 'horn')).toEqual(['1.0', '1.1', first?.delivery.digest.slice(7, 19), 'latest'].sort());
    const listing = run(root, ['ledger', 'horn']).stdout;
    expect(listing.match(/stands/g)).toHaveLength(3);
    expect(run(root, ['recall', 'horn', '--keep', '1']).status).toBe(0);
    expect(await tagsOf(host, 'horn')).toEqual(['1.1']);
    expect(run(root, ['recall', 'horn', '--keep', '1']).stdout).toContain('Nothing to recall: one delivery stands');
    expect(run(root, ['recall', 'horn', '--digest', changed?.delivery.digest.slice(7, 19) ?? '']).status).toBe(0);
    expect(await tagsOf(host, 'horn')).toEqual([]);
    expect(ledger(root).deliveries.filter(({ recalled }) => recalled === undefined)).toHaveLength(1);
    expect(run(root, ['recall', 'horn']).stdout).toContain('Nothing that was sent stands.');
  }, 120_000);

  it('leaves what another delivery still uses', async () => {
    const { host } = await standInRegistry(folderWith({}));
    const root = harbour(host);
    send(root, ['horn', '--tag', 'a']);
    send(root, ['horn', '--tag', 'b']);
    expect(run(root, ['ledger']).stdout).not.toContain('moved on');
    expect(run(root, ['recall', 'horn']).stdout).toContain('2 kept for another delivery');
    expect(await tagsOf(host, 'horn')).toEqual(['a']);
    put(root, { 'src/horn.mjs': `${HORN}// louder\n` });
    expect(run(root, ['build', 'horn']).status).toBe(0);
    send(root, ['horn', '--tag', 'a']);
    expect(
      run(root, ['ledger'])
        .stdout.split('\n')
        .filter((line) => line.includes('stands')),
    ).toEqual([
      expect.stringMatching(/horn:a {2}/) as unknown,
      expect.stringContaining('horn (a moved on)') as unknown,
    ]);
  }, 60_000);

  it('fetches what was sent by its digest and calls that, even where nothing is built', async () => {
    const { host } = await standInRegistry(folderWith({}), ['--login', 'harbour:tide', '--tokens']);
    const root = harbour(host, { 'event.json': '{}', 'auth.json': '' });
    const auth = Buffer.from('harbour:tide').toString('base64');
    writeFileSync(join(root, 'auth.json'), JSON.stringify({ auths: { [host]: { auth } } }));
    const env = { REGISTRY_AUTH_FILE: join(root, 'auth.json') };
    expect(run(root, ['send', 'horn'], { env: { REGISTRY_AUTH_FILE: '/nonexistent' } })).toMatchObject({ status: 3 });
    const [sent] = send(root, ['horn'], { env });
    rmSync(join(root, 'out'), { recursive: true });
    // The base is made up, so that it cannot run; that it is what was sent is seen before.
    const tried = run(root, ['try', 'horn', '--sent', '--into', 'fetched', '--event', 'event.json'], { env });
    expect(tried.stdout).toContain(`fernhaven/horn@${sent?.delivery.artifacts.x86_64 ?? ''}`);
    expect(readdirSync(join(root, 'fetched/blobs/sha256')).every((name) => /^[0-9a-f]{64}$/.test(name))).toBe(true);
    expect(run(root, ['check', 'fetched', '--at', 'moorings']).stdout).toContain('for moorings');
    expect(run(root, ['try', 'horn', '--sent', '--into', 'fetched', '--event', 'event.json'], { env }).status).toBe(2);
  }, 60_000);

  it.each([['horn', '--tag', 'no tag'], ['nobody'], ['horn', '--tag']])(
    'refuses a wrong command: %j',
    async (...args) => {
      const root = harbour('127.0.0.1:1');
      expect(run(root, ['send', ...args]).status).toBe(2);
      await Promise.resolve();
    },
  );

  it('says who does not answer, and what it did not understand', async () => {
    const root = harbour('127.0.0.1:1');
    const outcome = run(root, ['send', 'horn'], { env: {} });
    expect([outcome.status, outcome.stderr.includes('nobody listening there')]).toEqual([3, true]);
    put(root, { 'emballage.ledger': '{"ledger":2}' });
    expect(run(root, ['ledger'])).toMatchObject({ status: 2 });
    const { host } = await standInRegistry(folderWith({}), ['--misbehave', 'no-delete']);
    rmSync(join(root, 'emballage.ledger'));
    pointAt(root, host);
    run(root, ['build']);
    send(root, ['horn']);
    expect(run(root, ['recall', 'horn'])).toMatchObject({ status: 3 });
    expect(ledger(root).deliveries.every(({ recalled }) => recalled === undefined)).toBe(true);
    for (const args of [
      ['recall'],
      ['recall', 'horn', '--all', '--keep', '1'],
      ['recall', 'horn', '--keep', '-1'],
      ['recall', 'horn', '--digest', 'abc'],
    ])
      expect(run(root, args).status).toBe(2);
  }, 60_000);
});

describe('bases at a registry', () => {
  /** Puts an image there, by hand. */
  async function offer(host: string, tag: string, content: string): Promise<string> {
    const { blobs, manifest } = makeImage({
      layers: [[...LAYER, { name: 'note', data: content }]],
      config: { Env: ['PATH=/usr/bin'] },
    });
    const at = `http://${host}/v2/bases/node`;
    for (const [hex, bytes] of blobs) {
      if (`sha256:${hex}` === manifest.digest) continue;
      const begun = await fetch(`${at}/blobs/uploads/`, { method: 'POST' });
      const url = new URL(begun.headers.get('location') ?? '', at);
      url.searchParams.set('digest', `sha256:${hex}`);
      expect((await fetch(url, { method: 'PUT', body: new Uint8Array(bytes) })).status).toBe(201);
    }
    const body = new Uint8Array(blobs.get(manifest.digest.slice(7)) ?? Buffer.alloc(0));
    await fetch(`${at}/manifests/${tag}`, { method: 'PUT', body, headers: { 'content-type': manifest.mediaType } });
    return manifest.digest;
  }

  function baseProject(host: string): string {
    const base = { image: `${host}/bases/node:20` };
    const horn = { source: 'src', runtime: 'node 20', entry: 'horn.mjs#sound', artifact: 'image', base };
    const sheet = {
      project: 'p',
      destinations: { moorings: 'moorings.yaml' },
      defaults: { destination: 'moorings', arch: ['x86_64'] },
      functions: { horn },
    };
    const root = folderWith({ 'emballage.yaml': JSON.stringify(sheet), 'src/horn.mjs': HORN });
    pointAt(root, host);
    return root;
  }

  it('are settled by lock, and do not move with their tag', async () => {
    const { host, requests } = await standInRegistry(folderWith({}));
    const first = await offer(host, '20', 'first');
    const root = baseProject(host);
    expect(run(root, ['build']).stderr).toContain('run `emballage lock horn`');
    expect(run(root, ['lock']).status).toBe(0);
    expect(readFileSync(join(root, 'emballage.lock'), 'utf8')).toContain(`"digest":"${first}"`);
    const second = await offer(host, '20', 'second');
    forget(root);
    expect(run(root, ['build']).status).toBe(0);
    const waybill = readFileSync(join(root, 'out/horn/x86_64/horn.waybill.json'), 'utf8');
    expect([waybill.includes(first), waybill.includes(second)]).toEqual([true, false]);
    requests.length = 0;
    expect(run(root, ['lock', '--offline']).stdout).toContain('unchanged');
    expect(requests).toEqual([]);
    expect(run(root, ['lock', '--upgrade', 'base']).stdout).toContain(second.slice(7, 19));
  }, 60_000);

  it.each([
    ['wrong-digest', 'SHA-256|sha256'],
    ['lists-itself', 'one for x86_64'],
    ['endless-blobs', 'more than that'],
    ['unauthorized', 'a login'],
  ])(
    'are refused when the registry is %s, and nothing is kept',
    async (fault, said) => {
      const folder = folderWith({});
      const plain = await standInRegistry(folder);
      await offer(plain.host, '20', 'first');
      const { host } = await standInRegistry(folder, ['--misbehave', fault]);
      const root = baseProject(host);
      const outcome = run(root, ['lock'], { env: { REGISTRY_AUTH_FILE: '/nonexistent' } });
      expect(outcome.status === 0).toBe(false);
      expect(outcome.stderr).toMatch(new RegExp(said));
      expect(readdirSync(root)).not.toContain('emballage.lock');
    },
    60_000,
  );
});

describe('the registry server that others run', () => {
  itWithServer(
    'takes images, with a login and without, mounts, and forgets',
    async () => {
      for (const login of [undefined, 'harbour:tide']) {
        const { host } = await realRegistry(login);
        const root = harbour(host);
        const auth = Buffer.from(login ?? '').toString('base64');
        writeFileSync(join(root, 'auth.json'), JSON.stringify({ auths: { [host]: { auth } } }));
        const env = { REGISTRY_AUTH_FILE: join(root, 'auth.json') };
        send(root, ['horn'], { env });
        const [bell] = send(root, ['bell'], { env });
        expect(bell?.blobs.map(({ how }) => how)).toContain('mounted');
        const [same] = send(root, ['horn'], { env });
        expect(same?.isSame).toBe(true);
        expect(run(root, ['recall', 'horn', '--all'], { env }).stdout).toContain('2 manifests deleted');
        const [fresh] = send(root, ['horn'], { env });
        expect([fresh?.isSame, fresh?.blobs.every(({ how }) => how === 'there')]).toEqual([false, true]);
      }
    },
    120_000,
  );

  itWithServer(
    'serves two who send at once',
    async () => {
      const { host } = await realRegistry();
      const root = harbour(host);
      const other = harbour(host);
      const start = (cwd: string, name: string): Promise<number | null> =>
        new Promise((resolve) => {
          spawn(process.execPath, [PROGRAM, 'send', name], { cwd, env: environment(cwd), stdio: 'ignore' }).on(
            'exit',
            resolve,
          );
        });
      expect(await Promise.all([start(root, 'horn'), start(other, 'horn'), start(other, 'bell')])).toEqual([0, 0, 0]);
      expect(await tagsOf(host, 'horn')).toHaveLength(2);
      // Both that were sent of one project are in its ledger.
      const { deliveries } = JSON.parse(run(other, ['ledger', '--json']).stdout) as { deliveries: object[] };
      expect(deliveries).toHaveLength(2);
    },
    120_000,
  );

  itWithServer(
    'is gone on with after it was killed half-way',
    async () => {
      const storage = folderWith({});
      const server: TestRegistry = await realRegistry(undefined, storage);
      const root = harbour(server.host);
      // Larger than one piece, so that some of it has arrived for certain.
      layoutFolder(join(root, 'base'), [{ layers: [[...LAYER, { name: 'big', data: randomBytes(150 << 20) }]] }]);
      run(root, ['lock', '--upgrade', 'base']);
      expect(run(root, ['build']).status).toBe(0);
      const child = spawn(process.execPath, [PROGRAM, 'send', 'horn'], {
        cwd: root,
        env: environment(root),
        stdio: ['ignore', 'ignore', 'pipe'],
      });
      const ended = new Promise<number | null>((resolve) => child.on('exit', resolve));
      const uploads = join(storage, 'docker/registry/v2/repositories/fernhaven/horn/_uploads');
      for (let i = 0; i < 4000 && sizeBelow(uploads) < 70 << 20; i++) await sleep(10);
      child.kill('SIGKILL');
      await server.end();
      await ended;
      const arrived = sizeBelow(uploads);
      expect(arrived).toBeGreaterThan(60 << 20);
      const again = await realRegistry(undefined, storage, Number(server.host.split(':')[1]));
      const [sent] = send(root, ['horn']);
      expect(sent?.blobs.filter(({ how }) => how === 'sent').length).toBeGreaterThan(0);
      const [same] = send(root, ['horn']);
      expect(same?.isSame).toBe(true);
      await again.end();
    },
    180_000,
  );
});

function sizeBelow(folder: string): number {
  try {
    return readdirSync(folder, { recursive: true, withFileTypes: true })
      .filter((entry) => entry.isFile() && entry.name === 'data')
      .reduce((sum, entry) => sum + readFileSync(join(entry.parentPath, entry.name)).length, 0);
  } catch {
    return 0;
  }
}
