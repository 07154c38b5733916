import { chmodSync, existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { davServer, itWithDav } from '../support/dav';
import { ARTIFACT, digestOf, harbour, ledgerOf, place, refusal, send, WITH_TOKEN } from '../support/harbour';
import { sha256 } from '../support/images';
import { folderWith, put, run } from '../support/program';
import { itWithServer, realRegistry, standInRegistry } from '../support/registry';

describe('sending into a folder', () => {
  it('puts whole files by their digests, verified, once; and takes them back', () => {
    const root = harbour({ deliver: { folder: 'jetty' } });
    expect(refusal(root, ['send'])).toContain('mount or make it');
    mkdirSync(join(root, 'jetty'));
    const { what, delivery, blobs } = send(root);
    expect([what, blobs.map(({ how }) => how)]).toEqual(['code', ['sent', 'sent', 'sent']]);
    const hex = digestOf(join(root, ARTIFACT));
    expect(delivery.locations).toEqual({ x86_64: `jetty/horn/${hex}.zip` });
    expect(digestOf(join(root, `jetty/horn/${hex}.zip`))).toBe(hex);
    expect(digestOf(join(root, `jetty/horn/${hex}.zip.waybill.json`))).toBe(
      digestOf(join(root, 'out/horn/x86_64/horn.waybill.json')),
    );
    expect(readFileSync(join(root, delivery.beside?.tones?.location ?? ''), 'utf8')).toBe('do re mi');
    const before = ledgerOf(root);
    expect([send(root).isSame, ledgerOf(root)]).toEqual([true, before]);
    // What was damaged there is put anew.
    writeFileSync(join(root, `jetty/horn/${hex}.zip`), 'cut');
    expect(send(root).blobs.map(({ how }) => how)).toEqual(['there', 'there', 'sent']);
    expect(run(root, ['recall', 'horn']).status).toBe(0);
    expect(readdirSync(join(root, 'jetty/horn')).filter((name) => name.endsWith('.zip'))).toEqual([]);
  });

  it('takes back from where it was sent, wherever the destination leads today, and never from elsewhere', () => {
    const root = harbour({ deliver: { folder: '.' } });
    send(root);
    const hex = digestOf(join(root, ARTIFACT));
    expect(existsSync(join(root, `horn/${hex}.zip`))).toBe(true);
    put(root, {
      'trial.yaml': place('trial', { deliver: { folder: 'jetty' } }),
      'jetty/.keep': '',
      'mine.zip': 'mine',
    });
    expect(run(root, ['try', 'horn', '--sent']).stdout).toContain('"pitch": "low"');
    const ledger = ledgerOf(root);
    put(root, { 'emballage.ledger': ledger.replace(/"x86_64":"horn\/[^"]*"/, '"x86_64":"../mine.zip"') });
    expect(refusal(root, ['recall', 'horn'])).toContain('a place in that folder');
    put(root, { 'emballage.ledger': ledger });
    expect(run(root, ['recall', 'horn'])).toMatchObject({ status: 0, stderr: '' });
    expect(existsSync(join(root, `horn/${hex}.zip`))).toBe(false);
  });

  it('sends nothing that the destination would refuse, and says what it would send', () => {
    const root = harbour({
      deliver: { folder: '.' },
      accepts: { zip: { packed: '1 KiB' }, beside: { packed: '4 B' } },
    });
    const outcome = run(root, ['send'], WITH_TOKEN);
    expect(outcome).toMatchObject({ status: 1 });
    expect(outcome.stdout).toContain('size/beside');
    expect(ledgerOf(root)).toBe('');
    put(root, { 'trial.yaml': place('trial', { deliver: { folder: '.' } }) });
    const dry = run(root, ['send', '--dry-run'], WITH_TOKEN);
    expect(dry.stdout).toContain('would send code');
    expect(existsSync(join(root, 'horn'))).toBe(false);
  });
});

describe('what is sent is of the sources as they are', () => {
  it('however late they were touched, and never of those from before a change', () => {
    const root = harbour({ deliver: { folder: 'jetty' } });
    mkdirSync(join(root, 'jetty'));
    const source = join(root, 'src/horn.mjs');
    writeFileSync(source, readFileSync(source));
    expect(run(root, ['send'], WITH_TOKEN)).toMatchObject({ status: 0, stderr: '' });
    writeFileSync(source, `${readFileSync(source, 'utf8')}// louder\n`);
    expect(refusal(root, ['send'])).toContain('one from before a change');
  });
});

describe('promoting', () => {
  it('brings the very bytes of one destination to another, checked against that, with its settings', () => {
    const root = harbour({ deliver: { folder: 'jetty' } });
    mkdirSync(join(root, 'jetty'));
    mkdirSync(join(root, 'live'));
    expect(refusal(root, ['send', 'horn', '--to', 'live', '--from', 'trial'])).toContain('send it there first');
    send(root);
    const hex = digestOf(join(root, ARTIFACT));
    // What is built now is not what stands there.
    rmSync(join(root, 'out'), { recursive: true });
    const { delivery } = send(root, ['--to', 'live', '--from', 'trial'], {});
    expect(delivery).toMatchObject({ from: 'trial', locations: { x86_64: `live/horn/${hex}.zip` } });
    put(root, { 'live.yaml': place('live', { deliver: { folder: 'live' }, accepts: { zip: { packed: '10 B' } } }) });
    expect(run(root, ['send', 'horn', '--to', 'live', '--from', 'trial']).status).toBe(1);
    put(root, { 'live.yaml': place('live', { deliver: { folder: 'live' } }) });
    writeFileSync(join(root, `jetty/horn/${hex}.zip`), 'other');
    expect(refusal(root, ['send', 'horn', '--to', 'live', '--from', 'trial'])).toContain('as the ledger has it');
    rmSync(join(root, 'jetty/horn'), { recursive: true });
    expect(refusal(root, ['send', 'horn', '--to', 'live', '--from', 'trial'])).toContain('no longer stands there');
    expect(refusal(root, ['send', 'horn', '--from', 'trial'])).toContain('for both');
  });
});

describe('sending by HTTP PUT', () => {
  itWithDav('makes collections, verifies what it reads back, never over another’s, with a login', async () => {
    const { url, folder } = await davServer('harbour:secret');
    const root = harbour({ deliver: { put: `${url}/a/{function}/{sha256}{ending}` } });
    expect(refusal(root, ['send'])).toContain('put a login for that host into the netrc file');
    put(root, { '.netrc': 'machine 127.0.0.1 login harbour password secret\n' });
    chmodSync(join(root, '.netrc'), 0o600);
    const env = { ...WITH_TOKEN.env, NETRC: join(root, '.netrc') };
    const { delivery } = send(root, [], { env });
    const hex = digestOf(join(root, ARTIFACT));
    expect(delivery.locations).toEqual({ x86_64: `${url}/a/horn/${hex}.zip` });
    expect(digestOf(join(folder, `a/horn/${hex}.zip`))).toBe(hex);
    expect(existsSync(join(folder, `a/horn/${hex}.zip.waybill.json`))).toBe(true);
    expect(send(root, [], { env }).isSame).toBe(true);
    const tried = run(root, ['try', 'horn', '--sent'], { env: { ...env } });
    expect(tried.stdout).toContain('"pitch": "low"');
    writeFileSync(join(folder, `a/horn/${hex}.zip`), 'somebody else’s');
    expect(refusal(root, ['send', '--again'], { env })).toContain('other content under that digest');
    rmSync(join(folder, `a/horn/${hex}.zip`));
    expect(refusal(root, ['send', 'horn', '--to', 'live', '--from', 'trial'], { env })).toContain('no longer stands');
    expect(send(root, [], { env }).blobs.map(({ how }) => how)).toEqual(['there', 'there', 'sent']);
    expect(run(root, ['recall', 'horn'], { env }).status).toBe(0);
    expect(readdirSync(join(folder, 'a/horn')).filter((name) => name.endsWith('.zip'))).toEqual([]);
  });

  it('refuses addresses at which files would lie over each other', () => {
    const root = harbour({ deliver: { put: 'http://127.0.0.1:1/{function}' } }, {}, { arch: ['x86_64', 'arm64'] });
    expect(refusal(root, ['send'])).toContain('add `{arch}` or `{sha256}`');
  });

  it('says that nobody answers', () => {
    const root = harbour({ deliver: { put: 'http://127.0.0.1:1/{function}/{sha256}{ending}' } });
    expect(refusal(root, ['send'])).toContain('check the network and the address');
  });
});

describe('sending with a program of the team’s own', () => {
  const SCRIPT = `#!/bin/sh
cat > request.json
echo "$TOKEN" > token.txt
[ "$FAIL" = "" ] || { echo "no berth for $TOKEN" >&2; exit 7; }
[ "$NOISE" = "" ] || { echo "$NOISE"; exit 0; }
echo '{ "location": "pier/7", "version": "v7" }'
`;
  const made = (): string => {
    const root = harbour({ deliver: { program: ['tools/to-pier'], time: '5 s' } });
    put(root, { 'tools/to-pier': SCRIPT });
    chmodSync(join(root, 'tools/to-pier'), 0o755);
    return root;
  };

  it('tells it everything but secrets, which are in its environment, and only what differs', () => {
    const root = made();
    const { what, delivery } = send(root);
    expect([what, delivery.version, delivery.locations]).toEqual(['both', 'v7', { x86_64: 'pier/7' }]);
    const request = JSON.parse(readFileSync(join(root, 'request.json'), 'utf8')) as Record<string, unknown>;
    expect(request).toMatchObject({
      delivery: 1,
      do: 'send',
      function: 'horn',
      destination: 'trial',
      what: 'both',
      form: 'zip',
      runtime: 'node 20',
      entry: 'horn.mjs#sound',
      memory: 128 << 20,
      timeout: 30_000,
      settings: { PITCH: 'low' },
      secrets: ['TOKEN'],
      held: [],
      artifacts: [{ arch: 'x86_64', sha256: digestOf(join(root, ARTIFACT)) }],
      beside: [{ name: 'tones', setting: 'TONES' }],
    });
    expect(readFileSync(join(root, 'token.txt'), 'utf8')).toBe('hush-hush\n');
    expect(readFileSync(join(root, 'request.json'), 'utf8') + ledgerOf(root)).not.toContain('hush');
    expect(send(root).isSame).toBe(true);
    const sheet = readFileSync(join(root, 'emballage.yaml'), 'utf8');
    put(root, { 'emballage.yaml': sheet.replace('"trial":"low"', '"trial":"mid"') });
    expect(send(root).what).toBe('settings');
    expect(send(root, ['--again']).what).toBe('both');
    expect(run(root, ['recall', 'horn'])).toMatchObject({ status: 0 });
    expect(readFileSync(join(root, 'request.json'), 'utf8')).toContain('"do":"recall"');
  });

  it('shows what it says when it fails, without secrets, and notes nothing', () => {
    const root = made();
    const failed = refusal(root, ['send'], { env: { ...WITH_TOKEN.env, FAIL: '1' } });
    expect(failed).toContain('exit code 7');
    expect(failed).toContain('no berth for (TOKEN)');
    expect(refusal(root, ['send'], { env: { ...WITH_TOKEN.env, NOISE: 'hello' } })).toContain('mend the program');
    expect(refusal(root, ['send'], { env: { ...WITH_TOKEN.env, NOISE: '{}' } })).toContain('`location`');
    rmSync(join(root, 'tools/to-pier'));
    expect(refusal(root, ['send'])).toContain('none of that name');
    expect(ledgerOf(root)).toBe('');
  });
});

describe('sending to a registry', () => {
  const roundTrip = (host: string): void => {
    const root = harbour({ deliver: { registry: `${host}/fernhaven` } });
    mkdirSync(join(root, 'live'));
    const { delivery } = send(root, ['--tag', '1.0']);
    expect(delivery.locations.x86_64).toMatch(/fernhaven\/horn@sha256:[0-9a-f]{64}$/);
    expect(send(root, ['--tag', '1.0']).isSame).toBe(true);
    const hex = digestOf(join(root, ARTIFACT));
    expect(send(root, ['--to', 'live', '--from', 'trial'], {}).delivery.locations.x86_64).toBe(`live/horn/${hex}.zip`);
    expect(readFileSync(join(root, 'live/horn/beside', `${sha256(Buffer.from('do re mi'))}.bin`), 'utf8')).toBe(
      'do re mi',
    );
    expect(run(root, ['recall', 'horn', '--from', 'trial']).stdout).toContain('2 manifests deleted');
    expect(refusal(root, ['send', 'horn', '--to', 'live', '--from', 'trial'], {})).toContain('none that stands');
  };

  it('has other forms as artifacts of the open standard, too', async () => {
    roundTrip((await standInRegistry(folderWith({}))).host);
  });

  itWithServer('has the same at a server that others run', async () => {
    roundTrip((await realRegistry()).host);
  });
});

describe('bad input', () => {
  it.each([
    ['a way that is none', { deliver: { tunnel: 'x' } }, '`tunnel`'],
    ['two ways', { deliver: { folder: 'a', host: 'http://h' } }, 'one of `registry`, `folder`'],
    ['a strange word', { deliver: { put: 'http://h/{name}' } }, '`{function}`, `{arch}`'],
    ['a login in the address', { deliver: { host: 'http://me:secret@h' } }, 'without a login'],
  ])('is told in a destination with %s', (_, more, expected) => {
    const root = harbour({ deliver: { folder: '.' } });
    put(root, { 'trial.yaml': place('trial', more) });
    expect(refusal(root, ['send'])).toContain(expected);
  });

  it('is told in the settings of a function', () => {
    const root = harbour({ deliver: { folder: '.' } });
    const sheet = readFileSync(join(root, 'emballage.yaml'), 'utf8');
    put(root, { 'emballage.yaml': sheet.replace('"trial":"low"', '"trail":"low"') });
    expect(refusal(root, ['send'])).toContain('did you mean `trial`?');
    put(root, { 'emballage.yaml': sheet.replace('"trial":"low",', '') });
    expect(run(root, ['send'], WITH_TOKEN).stderr).toContain('a value for trial');
    put(root, { 'emballage.yaml': sheet });
    expect(refusal(root, ['send'], {})).toContain('held: [trial]');
    expect(refusal(root, ['send', '--to', 'lvie'])).toContain('did you mean `--to live`?');
  });

  it('is told in a ledger that was merged badly', () => {
    const root = harbour({ deliver: { folder: '.' } });
    send(root);
    const good = ledgerOf(root);
    put(root, { 'emballage.ledger': good.replace('    {', '<<<<<<< ours\n    {') });
    expect(refusal(root, ['send'])).toContain('the marks of a merge, on line 4');
    put(root, { 'emballage.ledger': good.replace(/"sent":"[^"]*"/, '"sent":7') });
    expect(refusal(root, ['ledger'])).toContain('`deliveries.0.sent`');
  });
});
