import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { place } from '../support/harbour';
import { layoutTar, NODE_AND_SHELL } from '../support/images';
import { BASE, done, failing, paperHarbour, textOf } from '../support/papers';
import { folderWith, put, run } from '../support/program';
import { itWithServer, realRegistry, standInRegistry } from '../support/registry';
import { standInHost } from '../support/stand-ins';

describe('a destination that wants papers', () => {
  const WANTS = { wants: { bill: true, provenance: true, 'signed-by': ['keys/pub.pem'] } };

  it('is sent nothing without them, and takes them along', () => {
    const root = paperHarbour(WANTS);
    done(root, 'build');
    const refused = run(root, ['send']);
    expect(refused).toMatchObject({ status: 1, stdout: expect.stringContaining('papers/wanted') as unknown });
    done(root, 'vouch');
    expect(run(root, ['check']).stdout).toContain('keys/pub.pem has signed it');
    done(root, 'vouch', '--key', 'key.pem');
    done(root, 'send');
    const sent = readdirSync(join(root, 'horn')).map((name) => name.replace(/^[0-9a-f]{64}/, ''));
    expect(sent.sort()).toEqual([
      '.zip',
      '.zip.cdx.json',
      '.zip.provenance.dsse.json',
      '.zip.provenance.json',
      '.zip.spdx.json',
      '.zip.waybill.json',
    ]);
    expect(failing(root, 'horn', '--sent', '--key', 'keys/pub.pem')).toEqual([]);
    // A file by hand is held to what lies beside it.
    const [zip = ''] = readdirSync(join(root, 'horn')).filter((name) => name.endsWith('.zip'));
    expect(failing(root, `horn/${zip}`, '--key', 'keys/pub.pem')).toEqual([]);
    const [bill = ''] = readdirSync(join(root, 'horn')).filter((name) => name.endsWith('.cdx.json'));
    writeFileSync(join(root, 'horn', bill), '{}');
    expect(run(root, ['vouch', '--verify', '--sent', 'horn'])).toMatchObject({ status: 3 });
    expect(run(root, ['recall', 'horn'])).toMatchObject({ status: 0 });
    expect(readdirSync(join(root, 'horn'))).toEqual([]);
  });

  it('or wants none is sent none that were changed', () => {
    const root = paperHarbour();
    done(root, 'build');
    done(root, 'vouch');
    put(root, { [`${BASE}.cdx.json`]: textOf(root, '.cdx.json').replace('"horn.mjs"', '"horn2.mjs"') });
    expect(run(root, ['send'])).toMatchObject({
      status: 1,
      stdout: expect.stringContaining('the bill of materials (CycloneDX 1.6) is of the artifact') as unknown,
    });
    done(root, 'vouch');
    done(root, 'send');
  });

  it('names keys that are there, and can be read', () => {
    const root = paperHarbour({ wants: { 'signed-by': ['keys/none.pem'] } });
    done(root, 'build');
    expect(run(root, ['check'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('keys/none.pem') as unknown,
    });
    put(root, {
      'slipway.yaml': place('slipway', { deliver: { folder: '.' }, wants: { 'signed-by': ['../pub.pem'] } }),
    });
    expect(run(root, ['check'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('files of the project with public keys') as unknown,
    });
  });

  it('may be a host, and what stands there is promoted with its papers', async () => {
    const folder = folderWith({ 'slipway.yaml': place('slipway', {}) });
    const host = await standInHost(join(folder, 'slipway.yaml'));
    const root = paperHarbour({ deliver: { host: host.at }, ...WANTS });
    const sheet = JSON.parse(readFileSync(join(root, 'emballage.yaml'), 'utf8')) as object;
    put(root, {
      'emballage.yaml': JSON.stringify({ ...sheet, destinations: { slipway: 'slipway.yaml', live: 'live.yaml' } }),
      'live.yaml': place('live', { deliver: { folder: '.' }, ...WANTS }),
    });
    done(root, 'build');
    done(root, 'vouch', '--key', 'key.pem');
    done(root, 'send');
    expect(failing(root, 'horn', '--sent', '--key', 'keys/pub.pem')).toEqual([]);
    done(root, 'send', '--from', 'slipway', '--to', 'live');
    expect(readdirSync(join(root, 'horn'))).toHaveLength(6);
  });
});

describe('papers at a registry', () => {
  const atRegistry = (at: string): void => {
    const root = paperHarbour({ deliver: { registry: `${at}/harbour` }, accepts: { zip: {}, image: {} } });
    const sheet = JSON.parse(readFileSync(join(root, 'emballage.yaml'), 'utf8')) as { functions: { horn: object } };
    put(root, {
      'emballage.yaml': JSON.stringify({
        ...sheet,
        functions: {
          ...sheet.functions,
          'horn-image': { ...sheet.functions.horn, artifact: 'image', base: { layout: 'base.oci.tar' } },
        },
      }),
    });
    put(root, { 'base.oci.tar': layoutTar([{ layers: [NODE_AND_SHELL], config: { Env: ['PATH=/usr/bin'] } }]) });
    done(root, 'lock');
    done(root, 'build');
    done(root, 'vouch', '--key', 'key.pem');
    done(root, 'send');
    for (const name of ['horn', 'horn-image'])
      expect([name, failing(root, name, '--sent', '--key', 'keys/pub.pem')]).toEqual([name, []]);
    const sentAgain = JSON.parse(run(root, ['send', '--json']).stdout) as { sent: { isSame: boolean }[] };
    expect(sentAgain.sent.map(({ isSame }) => isSame)).toEqual([true, true]);
    const outcome = run(root, ['recall', 'horn-image', '--json']);
    expect(outcome.stderr).toBe('');
    // The index, the image, and what was attached to it: the waybill and four papers.
    expect((JSON.parse(outcome.stdout) as { recalled: { deleted: string[] }[] }).recalled[0]?.deleted).toHaveLength(7);
  };

  it('are attached to what they are about', async () => {
    atRegistry((await standInRegistry(folderWith({}))).host);
  });

  it('lie under a tag where a registry does not list them', async () => {
    atRegistry((await standInRegistry(folderWith({}), ['--misbehave', 'no-referrers'])).host);
  });

  itWithServer('are kept by a registry as others run it', async () => {
    atRegistry((await realRegistry()).host);
  });
});
