import { randomBytes } from 'node:crypto';
import { existsSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { codeFrom, codeOf } from '../../../../test/support/data';
import { makeImage, sha256 } from '../../../../test/support/images';
import { folderWith } from '../../../../test/support/program';
import { systemNetwork } from '../../../cli/session/network';
import { startRegistry, type RegistryFault, type RunningRegistry } from '../../../standins/registry';
import {
  deleteManifest,
  deleteTag,
  listReferrers,
  listTags,
  NO_LOGINS,
  ping,
  pullBlob,
  pullManifest,
  pushBlob,
  pushManifest,
  readAuthFiles,
  RegistryConnection,
  type RegistryLogins,
} from './';
import { readChallenges } from './challenge';

const running: RunningRegistry[] = [];
afterAll(() => Promise.all(running.map((one) => one.close())));

interface Scene {
  readonly registry: RegistryConnection;
  readonly folder: string;
  /** What was asked for: method, path, and whether a login came with it. */
  readonly requests: string[];
  /** Pauses that were made, in milliseconds. */
  readonly pauses: number[];
}

const LOGINS: RegistryLogins = { loginFor: () => ({ name: 'harbour', password: 'tide' }) };

async function scene(
  more: { misbehave?: RegistryFault; login?: string; tokens?: boolean; logins?: RegistryLogins; folder?: string } = {},
): Promise<Scene> {
  const requests: string[] = [];
  const pauses: number[] = [];
  const { logins = NO_LOGINS, folder = folderWith({}), ...options } = more;
  const server = await startRegistry({ folder, port: 0, onRequest: (line) => requests.push(line), ...options });
  running.push(server);
  const real = systemNetwork();
  const network = { ...real, sleep: (ms: number) => (pauses.push(ms), Promise.resolve()) };
  const registry = new RegistryConnection({ host: server.host, plainHttp: false, network, logins });
  return { registry, folder, requests, pauses };
}

const blobOf = (bytes: Buffer) => ({
  mediaType: 'application/octet-stream',
  digest: `sha256:${sha256(bytes)}`,
  size: bytes.length,
});

function memory() {
  const known = new Map<string, string>();
  return {
    known,
    recall: (key: string) => known.get(key),
    remember: (key: string, value: string) => void known.set(key, value),
    forget: (key: string) => void known.delete(key),
  };
}

async function send(registry: RegistryConnection, bytes: Buffer, name = 'a/b', more = {}): Promise<unknown> {
  const path = join(folderWith({ blob: bytes }), 'blob');
  const content = { path, at: 0, size: bytes.length };
  return pushBlob(registry, { name, descriptor: blobOf(bytes), content, mountFrom: [], memory: memory(), ...more });
}

async function fetchBlob(
  registry: RegistryConnection,
  bytes: Buffer,
  path = join(folderWith({}), 'got'),
): Promise<string> {
  await pullBlob(registry, 'a/b', blobOf(bytes), { path });
  return path;
}

const SMALL = randomBytes(3000);
const LARGE = randomBytes(5 * 1024 * 1024);

describe('a registry', () => {
  it('takes what it does not have, once, and gives it back', async () => {
    const { registry, requests } = await scene();
    await ping(registry);
    expect([await send(registry, SMALL), await send(registry, SMALL), await send(registry, LARGE)]).toEqual([
      'sent',
      'there',
      'sent',
    ]);
    expect(readFileSync(await fetchBlob(registry, LARGE)).equals(LARGE)).toBe(true);
    requests.length = 0;
    expect(await send(registry, LARGE, 'other', { mountFrom: ['nothing', 'a/b'] })).toBe('mounted');
    expect(requests.filter((line) => line.startsWith('PATCH') || line.startsWith('PUT'))).toEqual([]);
  });

  it('keeps manifests under tags and digests, and forgets them', async () => {
    const { registry } = await scene();
    const { blobs, manifest, layers } = makeImage({ layers: [[{ name: 'f', data: 'x' }]] });
    const bytes = blobs.get(manifest.digest.slice(7)) ?? Buffer.alloc(0);
    expect(await codeFrom(pushManifest(registry, 'a/b', 'v1', manifest, bytes))).toBe('REGISTRY_REFUSED');
    for (const [hex, blob] of blobs) if (`sha256:${hex}` !== manifest.digest) await send(registry, blob);
    for (let i = 0; i < 105; i++)
      await pushManifest(registry, 'a/b', `v${String(i).padStart(3, '0')}`, manifest, bytes);
    expect((await listTags(registry, 'a/b'))?.length).toBe(105);
    expect(await listTags(registry, 'nothing')).toBeUndefined();
    expect((await pullManifest(registry, 'a/b', 'v001'))?.descriptor).toEqual(manifest);
    expect(await deleteTag(registry, 'a/b', 'v001')).toBe(true);
    expect(await pullManifest(registry, 'a/b', 'v001')).toBeUndefined();
    const signature = {
      schemaVersion: 2,
      mediaType: manifest.mediaType,
      artifactType: 'text/x',
      config: layers[0],
      layers: [],
      subject: manifest,
    };
    const signed = Buffer.from(JSON.stringify(signature));
    const own = { ...blobOf(signed), mediaType: manifest.mediaType };
    await pushManifest(registry, 'a/b', own.digest, own, signed);
    expect(await listReferrers(registry, 'a/b', manifest.digest)).toEqual([{ ...own, artifactType: 'text/x' }]);
    expect([
      await deleteManifest(registry, 'a/b', manifest.digest),
      await deleteManifest(registry, 'a/b', manifest.digest),
    ]).toEqual([true, false]);
    expect(await listTags(registry, 'a/b')).toEqual([]);
  });

  it('may keep referrers under a tag', async () => {
    const { registry } = await scene({ misbehave: 'no-referrers' });
    const digest = `sha256:${'a'.repeat(64)}`;
    expect(await listReferrers(registry, 'a/b', digest)).toEqual([]);
    const mediaType = 'application/vnd.oci.image.index.v1+json';
    const index = Buffer.from(JSON.stringify({ schemaVersion: 2, mediaType, manifests: [] }));
    await pushManifest(registry, 'a/b', `sha256-${'a'.repeat(64)}`, { ...blobOf(index), mediaType }, index);
    expect(await listReferrers(registry, 'a/b', digest)).toEqual([]);
  });

  it.each([{ tokens: false }, { tokens: true }])('lets in whoever has a login: %j', async ({ tokens }) => {
    const guarded = await scene({ login: 'harbour:tide', tokens, logins: LOGINS });
    expect(await send(guarded.registry, SMALL)).toBe('sent');
    await fetchBlob(guarded.registry, SMALL);
    const wrong = await scene({
      login: 'harbour:tide',
      tokens,
      logins: { loginFor: () => ({ name: 'harbour', password: 'no' }) },
    });
    expect(await codeFrom(send(wrong.registry, SMALL))).toBe('REGISTRY_REFUSED');
    expect(await codeFrom(send((await scene({ login: 'harbour:tide', tokens })).registry, SMALL))).toBe(
      'REGISTRY_REFUSED',
    );
  });

  it('is asked no more when it answers 401 for ever', async () => {
    const { registry, requests } = await scene({ misbehave: 'unauthorized', logins: LOGINS });
    expect(await codeFrom(send(registry, SMALL))).toBe('REGISTRY_REFUSED');
    expect(requests.length).toBe(2);
  });

  it('is waited for as long as it asks when it is busy, and not for ever', async () => {
    const busy = await scene({ misbehave: 'busy' });
    expect(await send(busy.registry, SMALL)).toBe('sent');
    expect(new Set(busy.pauses)).toEqual(new Set([1000]));
    const failing = await scene({ misbehave: 'failing' });
    expect(await codeFrom(send(failing.registry, SMALL))).toBe('REGISTRY_UNREACHABLE');
    expect(failing.pauses).toEqual([250, 500, 1000, 2000]);
  });

  it('goes on with what was cut off, both ways', async () => {
    const up = await scene({ misbehave: 'cut-uploads' });
    expect(await send(up.registry, LARGE)).toBe('sent');
    const sent = up.requests.filter((line) => line.startsWith('PATCH')).length;
    const asked = up.requests.filter((line) => /^GET .*uploads/.test(line)).length;
    expect([sent, asked]).toEqual([2, 1]);
    const lost = await scene({ misbehave: 'forgets-uploads' });
    expect(await send(lost.registry, LARGE)).toBe('sent');
    expect(lost.requests.filter((line) => line.startsWith('POST')).length).toBe(2);
    const down = await scene({ misbehave: 'cut-downloads' });
    await send(down.registry, LARGE);
    expect(readFileSync(await fetchBlob(down.registry, LARGE)).equals(LARGE)).toBe(true);
    expect(down.requests.filter((line) => line.startsWith('GET')).length).toBe(2);
  });

  it('goes on in a later run, and begins again where it has forgotten', async () => {
    const { registry, folder } = await scene();
    const path = join(folderWith({}), 'got');
    await send(registry, LARGE);
    writeFileSync(path, LARGE.subarray(0, 1_000_000));
    await fetchBlob(registry, LARGE, path);
    expect(readFileSync(path).equals(LARGE)).toBe(true);
    const other = Buffer.concat([LARGE, SMALL]);
    const begun = memory();
    const begin = await registry.send({
      method: 'POST',
      at: '/v2/a/b/blobs/uploads/',
      doing: '',
      scope: '',
      expects: [202],
    });
    const location = registry.resolve(begin.headers.location ?? '', '');
    writeFileSync(join(folder, 'uploads', location.split('/').at(-1) ?? ''), other.subarray(0, 4_000_000));
    begun.remember(`${registry.host}/a/b@${blobOf(other).digest}`, location);
    expect(await send(registry, other, 'a/b', { memory: begun })).toBe('sent');
    expect(begun.known.size).toBe(0);
    const forgotten = memory();
    const more = Buffer.concat([other, SMALL]);
    forgotten.remember(
      `${registry.host}/a/b@${blobOf(more).digest}`,
      `http://${registry.host}/v2/a/b/blobs/uploads/gone`,
    );
    expect(await send(registry, more, 'a/b', { memory: forgotten })).toBe('sent');
  });

  it.each(['wrong-digest', 'short-blobs', 'endless-blobs'] as const)(
    'keeps nothing of what is wrong: %s',
    async (misbehave) => {
      const folder = folderWith({});
      await send((await scene({ folder })).registry, LARGE);
      const { registry } = await scene({ folder, misbehave });
      const path = join(folderWith({}), 'got');
      expect(await codeFrom(pullBlob(registry, 'a/b', blobOf(LARGE), { path }))).toMatch(
        /^(SOURCE_MISMATCH|REGISTRY_UNREACHABLE)$/,
      );
      const left = existsSync(path) ? statSync(path).size : 0;
      expect(misbehave === 'short-blobs' ? left < LARGE.length : left).toBe(misbehave === 'short-blobs' ? true : 0);
    },
  );

  it('may send elsewhere, where its login does not go', async () => {
    const { registry, requests } = await scene({ misbehave: 'redirects-away', login: 'harbour:tide', logins: LOGINS });
    await send(registry, SMALL);
    requests.length = 0;
    expect(readFileSync(await fetchBlob(registry, SMALL)).equals(SMALL)).toBe(true);
    // Asked without, then with a login; the other host gets none.
    expect(requests.map((line) => line.endsWith('(with a login)'))).toEqual([false, true, false]);
  });

  it('is not spoken to without encryption, unless it is here or that was allowed', async () => {
    const seen: string[] = [];
    const network = {
      request: ({ url }: { url: string }) => {
        seen.push(url);
        const location = url.includes('//far') ? 'http://elsewhere.example/' : 'http://far.example/';
        return Promise.resolve({
          status: 302,
          headers: { location },
          body: Readable.from([]),
        });
      },
      sleep: () => Promise.resolve(),
      now: () => 0,
    };
    const connect = (host: string, plainHttp: boolean) =>
      new RegistryConnection({ host, plainHttp, network, logins: NO_LOGINS });
    expect(connect('far.example', false).address).toBe('https://far.example');
    expect(connect('far.example', true).address).toBe('http://far.example');
    expect(connect('localhost:5000', false).address).toBe('http://localhost:5000');
    expect(connect('127.0.0.1.example', false).address).toBe('https://127.0.0.1.example');
    expect(await codeFrom(ping(connect('far.example', true)))).toBe('REGISTRY_INVALID');
    expect(await codeFrom(ping(connect('other.example', false)))).toBe('REGISTRY_INVALID');
    expect(seen).toEqual(['http://far.example/v2/', 'https://other.example/v2/']);
  });
});

describe('logins', () => {
  const auth = Buffer.from('harbour:tide:2').toString('base64');
  it('are read from the file that engines share', () => {
    const text = JSON.stringify({
      auths: {
        'https://harbour.example/v2/': { auth },
        'harbour.example/bases': { username: 'b', password: 'p' },
        'x.example': {},
      },
    });
    const logins = readAuthFiles([{ text, shown: 'auth.json' }]);
    expect(logins.loginFor('harbour.example', 'a/b')).toEqual({ name: 'harbour', password: 'tide:2' });
    expect(logins.loginFor('harbour.example', 'bases/python')).toEqual({ name: 'b', password: 'p' });
    expect([logins.loginFor('x.example', 'a'), logins.loginFor('y.example', 'a')]).toEqual([undefined, undefined]);
    expect(codeOf(() => readAuthFiles([{ text: '{', shown: 'auth.json' }]))).toBe('REGISTRY_INVALID');
  });

  it('are asked for in challenges', () => {
    expect(readChallenges('Bearer realm="https://a.example/t?x=1,2",service="s \\"q\\"" , Basic realm=b')).toEqual([
      { scheme: 'bearer', parameters: { realm: 'https://a.example/t?x=1,2', service: 's "q"' } },
      { scheme: 'basic', parameters: { realm: 'b' } },
    ]);
    expect([readChallenges(''), readChallenges('"'), readChallenges('Negotiate')]).toEqual([
      [],
      [],
      [{ scheme: 'negotiate', parameters: {} }],
    ]);
  });
});
