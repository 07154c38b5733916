import { spawnSync } from 'node:child_process';
import { mkdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { harbour, ledgerOf, place, refusal, send, WITH_TOKEN } from '../support/harbour';
import { folderWith, put, run } from '../support/program';
import { standInHost, type StandIn } from '../support/stand-ins';

/** A host like the destination of a file of a project, which is then pointed at it. */
async function hostFor(root: string, name: string, options: readonly string[] = [], folder?: string): Promise<StandIn> {
  const host = await standInHost(join(root, `${name}.yaml`), options, folder);
  put(root, { [`${name}.yaml`]: place(name, { deliver: { host: host.at } }) });
  return host;
}

describe('the protocol of hosts', () => {
  it('is described as OpenAPI 3.1', () => {
    const code = `import { Validator } from '@seriousme/openapi-schema-validator';
import { readFileSync } from 'node:fs';
const validator = new Validator();
const { valid } = await validator.validate(JSON.parse(readFileSync('schemas/host.openapi.json', 'utf8')));
console.log(valid, validator.version);`;
    const cwd = join(__dirname, '../..');
    const { stdout } = spawnSync(process.execPath, ['--input-type=module', '-e', code], { cwd, encoding: 'utf8' });
    expect(stdout).toBe('true 3.1\n');
  });
});

describe('sending to a host', () => {
  it('puts, calls, reads the log, changes a setting without an upload, and goes back', async () => {
    const root = harbour({ deliver: { host: 'http://127.0.0.1:1' } });
    const host = await hostFor(root, 'trial');
    const first = send(root);
    expect([first.what, first.blobs.length]).toEqual(['both', 3]);
    await sleep(200);
    host.requests.length = 0;
    expect(send(root).isSame).toBe(true);
    await sleep(200);
    expect(host.requests).toEqual(['GET /v1/functions/horn']);
    const called = run(root, ['try', 'horn', '--there', '--json']);
    const [call] = (JSON.parse(called.stdout) as { calls: { run: string; answer: { json: string } }[] }).calls;
    expect(call?.answer.json).toContain('"pitch":"low","token":9,"data":{"n":7.5}');
    expect(run(root, ['log', 'horn', '--run', call?.run ?? '']).stdout).toContain('sounding low');
    expect(run(root, ['log', 'horn', '--since', '2099-01-01']).stdout).toContain('Nothing was written');
    const answer = await fetch(`${host.at}/at/horn`, { method: 'POST', body: '{"by":"curl"}' });
    expect(await answer.json()).toMatchObject({ pitch: 'low', data: { by: 'curl' } });
    const sheet = readFileSync(join(root, 'emballage.yaml'), 'utf8');
    put(root, { 'emballage.yaml': sheet.replace('"trial":"low"', '"trial":"mid"') });
    const drifted = run(root, ['check', 'horn', '--there']);
    expect([drifted.status, drifted.stdout]).toEqual([
      1,
      expect.stringMatching(/setting PITCH +declared mid +there low/),
    ]);
    await sleep(200);
    host.requests.length = 0;
    expect(send(root).what).toBe('settings');
    await sleep(200);
    expect(host.requests.some((line) => line.includes('/content/'))).toBe(false);
    expect(run(root, ['try', 'horn', '--there']).stdout).toContain('"pitch": "mid"');
    // Another secret is another setting, although nobody is told what it is.
    expect(send(root, ['--dry-run'], { env: { TOKEN: 'other' } }).drifts).toMatchObject([{ what: 'setting TOKEN' }]);
    expect(run(root, ['check', '--there']).status).toBe(0);
    expect(run(root, ['recall', 'horn']).stdout).toContain('current again');
    expect(run(root, ['try', 'horn', '--there']).stdout).toContain('"pitch": "low"');
    expect(run(root, ['recall', 'horn']).status).toBe(0);
    expect(refusal(root, ['try', 'horn', '--there'])).toContain('send it first');
  });

  it('takes secrets that the host holds, and refuses where it does not', async () => {
    const root = harbour({ deliver: { folder: 'jetty' } }, { deliver: { host: 'http://127.0.0.1:1' } });
    mkdirSync(join(root, 'jetty'));
    send(root);
    const folder = folderWith({});
    await hostFor(root, 'live', [], folder);
    expect(refusal(root, ['send', 'horn', '--to', 'live', '--from', 'trial'])).toContain('TOKEN is said to be held');
    put(folder, { 'held.json': JSON.stringify({ TOKEN: 'known there' }) });
    send(root, ['--to', 'live', '--from', 'trial'], {});
    expect(run(root, ['try', 'horn', '--there', 'live']).stdout).toMatch(/"pitch": "high",\s+"token": 11/);
  });

  it('gives the reasons of the host, which enforces its destination', async () => {
    const root = harbour({ deliver: { host: 'http://127.0.0.1:1' } });
    const strict = join(
      folderWith({ 'strict.yaml': place('strict', { accepts: { zip: { packed: '20 B' } } }) }),
      'strict.yaml',
    );
    const host = await standInHost(strict);
    put(root, { 'trial.yaml': place('trial', { deliver: { host: host.at } }) });
    const said = refusal(root, ['send']);
    expect(said).toContain('size/packed');
    expect(said).toContain('takes no data beside artifacts');
    expect(ledgerOf(root)).toBe('');
  });

  it('wants a login where the host does, from netrc or as a token', async () => {
    const root = harbour({ deliver: { host: 'http://127.0.0.1:1' } });
    const { at } = await standInHost(join(root, 'trial.yaml'), ['--login', 'harbour:secret']);
    const deliver = { host: at, token: 'HOST_KEY' };
    put(root, { 'trial.yaml': place('trial', { deliver }) });
    expect(refusal(root, ['send'])).toContain('in that environment variable');
    expect(refusal(root, ['send'], { env: { ...WITH_TOKEN.env, HOST_KEY: 'wrong' } })).toContain('HOST_KEY is right');
    expect(send(root, [], { env: { ...WITH_TOKEN.env, HOST_KEY: 'secret' } }).what).toBe('both');
  });

  it.each([
    ['busy', undefined],
    ['half', undefined],
    ['lost', undefined],
    ['failing', 'status 500'],
    ['forgetful', 'PITCH there as it was sent'],
    ['other-digest', 'it kept as'],
    ['page', 'a page for people'],
    ['full', 'no room is left'],
  ])('meets a host that is %s', async (fault, expected) => {
    const root = harbour({ deliver: { host: 'http://127.0.0.1:1' } });
    await hostFor(root, 'trial', ['--misbehave', fault]);
    if (expected === undefined) {
      expect(send(root).what).toBe('both');
      return;
    }
    expect(refusal(root, ['send'])).toContain(expected);
    expect(ledgerOf(root)).toBe('');
    // The next run goes on.
    await hostFor(root, 'trial');
    expect(send(root).isSame).toBe(false);
  });

  it('lets only one of two senders make its version current', async () => {
    const root = harbour({ deliver: { host: 'http://127.0.0.1:1' } });
    const host = await hostFor(root, 'trial');
    send(root);
    const before = (await (await fetch(`${host.at}/v1/functions/horn`)).json()) as { current: { version: string } };
    const body = JSON.stringify({ version: before.current.version });
    const headers = { 'if-match': '"another"' };
    const answer = await fetch(`${host.at}/v1/functions/horn/current`, { method: 'PUT', body, headers });
    expect(answer.status).toBe(412);
  });

  it('runs no more instances than it may, and ends them when they are idle', async () => {
    const root = harbour({ deliver: { host: 'http://127.0.0.1:1' } });
    put(root, { 'src/horn.mjs': 'export const sound = () => new Promise((done) => setTimeout(done, 2500, 1));\n' });
    run(root, ['build']);
    const { at } = await hostFor(root, 'trial', ['--instances', '2', '--idle', '2 s']);
    send(root);
    const call = async (): Promise<number> => (await fetch(`${at}/at/horn`, { method: 'POST', body: '{}' })).status;
    expect((await Promise.all([call(), call(), call()])).sort()).toEqual([200, 200, 429]);
    const event = { specversion: '1.0', id: '1', source: '/tests', type: 'tests', data: {} };
    const cold = async (): Promise<boolean> => {
      const body = JSON.stringify({ name: 'one', event });
      const answer = await fetch(`${at}/v1/functions/horn/calls`, { method: 'POST', body });
      return ((await answer.json()) as { cold: boolean }).cold;
    };
    expect(await cold()).toBe(false);
    await sleep(5000);
    expect(await cold()).toBe(true);
  });
});
