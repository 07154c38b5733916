/** What commands print with `--json` holds to the schemas that are published for it. */
import { spawn } from 'node:child_process';
import { readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import type { z } from 'zod';
import { outputSchemas } from '../../src/cli/documents/index';
import { COMMANDS } from '../../src/cli/commands/list';
import { KNOWN } from '../../src/core/known';
import { imageProject, layoutFolder, NODE_AND_SHELL } from '../support/images';
import { environment, folderWith, PROGRAM, project, put, run } from '../support/program';
import { standInRegistry } from '../support/registry';
import { standInHost } from '../support/stand-ins';

let schemas: Readonly<Record<string, z.ZodType>>;
beforeAll(async () => {
  schemas = await outputSchemas(KNOWN);
});

const HORN = { 'horn.mjs': 'export const sound = () => ({ loud: true });\n' };

function document(root: string, ...args: readonly string[]): unknown {
  const { stdout } = run(root, [...args, '--json']);
  return JSON.parse(stdout);
}

function faultsOf(name: string, value: unknown): unknown {
  const result = schemas[name]?.safeParse(value);
  return result?.success === true ? [] : (result?.error.issues ?? ['no such schema']);
}

/** Of what is sent to a host, called there and filled into a template. */
async function documentsOfDelivery(): Promise<void> {
  const root = project(HORN, {}, { 'event.json': '{}', 'deploy.json': '{ "sha256": "" }' });
  const slipway = readFileSync(join(root, 'slipway.yaml'), 'utf8');
  const { at } = await standInHost(join(root, 'slipway.yaml'));
  const sheet = JSON.parse(readFileSync(join(root, 'emballage.yaml'), 'utf8')) as object;
  const fill = [{ file: 'deploy.json', at: '/sha256', value: '{horn.sha256}' }];
  put(root, {
    'slipway.yaml': `${slipway}deliver: { host: "${at}" }\n`,
    'emballage.yaml': JSON.stringify({ ...sheet, fill }),
  });
  expect(run(root, ['build']).status).toBe(0);
  for (const [name, args] of [
    ['send', ['send', '--dry-run']],
    ['send', ['send']],
    ['try', ['try', 'horn', '--there', '--event', 'event.json']],
    ['log', ['log', 'horn']],
    ['check', ['check', '--there']],
    ['ledger', ['ledger']],
    ['fill', ['fill']],
    ['recall', ['recall', 'horn']],
  ] as const)
    expect([name, faultsOf(name, document(root, ...args))]).toEqual([name, []]);
}

describe('documents for programs', () => {
  it('are as their schemas say, of every command', () => {
    const root = project(HORN, {}, { 'event.json': '{}' });
    const seen = new Map<string, unknown>([
      ['survey', document(root, 'survey')],
      ['lock', document(root, 'lock')],
      ['build', document(root, 'build')],
      ['check', document(root, 'check')],
      ['weigh', document(root, 'weigh', '--budget', '--over', root)],
      ['compare', document(root, 'compare', 'horn', 'src')],
      ['why', document(root, 'why', 'horn', '*.mjs')],
      ['try', document(root, 'try', 'horn', '--event', 'event.json')],
      ['event', document(root, 'event', 'horn')],
      ['vouch', document(root, 'vouch', 'horn')],
      ['vouch', document(root, 'vouch', '--verify', 'horn')],
      ['prove', document(root, 'prove')],
      ['ledger', document(root, 'ledger')],
      ['tidy', document(root, 'tidy', '--dry-run')],
      ['rules', document(root, 'rules')],
      ['toolchains', document(root, 'toolchains')],
      ['help', document(root, '--help')],
      ['version', document(root, '--version')],
    ]);
    for (const [name, value] of seen) expect([name, faultsOf(name, value)]).toEqual([name, []]);
    expect(faultsOf('help', document(root, 'build', '--help'))).toEqual([]);
    expect(faultsOf('survey', document(folderWith(HORN), 'survey'))).toEqual([]);
    const elsewhere = ['send', 'log', 'recall', 'fill', 'stand-in', 'completion', 'demo'];
    expect(COMMANDS.map(({ name }) => name).filter((name) => !seen.has(name))).toEqual(elsewhere);
    expect(faultsOf('build', { targets: [{}] })).not.toEqual([]);
  });

  it('are so of what is sent and taken back, and of what is served', async () => {
    const { host } = await standInRegistry(folderWith({}));
    const root = imageProject(
      `destination: slipway\narch: [x86_64]\naccepts: { image: {} }\nruntimes: {}\nregistry: ${host}/fernhaven\n`,
      { base: { layout: 'base' } },
    );
    layoutFolder(join(root, 'base'), [{ layers: [NODE_AND_SHELL] }]);
    for (const command of ['lock', 'build']) expect(run(root, [command]).status).toBe(0);
    for (const [name, args] of [
      ['send', ['send']],
      ['ledger', ['ledger']],
      ['recall', ['recall', 'horn']],
    ] as const)
      expect([name, faultsOf(name, document(root, ...args))]).toEqual([name, []]);
    await documentsOfDelivery();
    const child = spawn(process.execPath, [PROGRAM, 'stand-in', 'index', root, '--port', '0', '--json'], {
      env: environment(root),
      stdio: ['ignore', 'pipe', 'inherit'],
    });
    const text = await new Promise<string>((resolve) =>
      child.stdout.once('data', (bytes: Buffer) => resolve(bytes.toString())),
    );
    child.kill();
    expect(faultsOf('stand-in', JSON.parse(text))).toEqual([]);
  });

  it('tell mistakes as the schema for them says, and functions that failed beside those that did not', () => {
    const root = project(HORN, { arch: ['amd64'] });
    expect(faultsOf('error', document(root, 'build'))).toEqual([]);
    expect(faultsOf('error', document(folderWith({}), 'build', '--zzz'))).toEqual([]);
    const two = project(HORN, {}, {});
    rmSync(join(two, 'out'), { recursive: true, force: true });
    expect(document(two, 'build')).toMatchObject({ failed: [] });
  });
});
