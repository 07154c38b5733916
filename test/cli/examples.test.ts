/** Every example that help, README and docs show does what it says, in a project that has what it speaks of. */
import { spawn, spawnSync } from 'node:child_process';
import { generateKeyPairSync } from 'node:crypto';
import { copyFileSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { COMMANDS } from '../../src/cli/commands/list';
import { LEVELS, packageFiles, packageFolder, startTestIndex } from '../support';
import { layoutFolder } from '../support/images';
import { environment, folderWith, PROGRAM, run } from '../support/program';
import { standInRegistry } from '../support/registry';
import { standInHost } from '../support/stand-ins';

const ROOT = join(__dirname, '../..');
/** They go on until they are interrupted: what they say once they serve. */
const SERVING = /^(?:stand-in |try .*--(?:serve|watch))/;
/** CI runs it whole, in a step of its own. */
const DEMO = /^demo\b/;

/** The words of a line as a shell would part them, up to what is the shell's own. */
function wordsOf(line: string): string[] {
  const plain = line.replace(/\s+(?:#|[|>&;]|&&).*$/, '').replace('$WORKER', '2');
  return [...plain.matchAll(/"([^"]*)"|'([^']*)'|(\S+)/g)].map(
    ([, double, single, bare]) => double ?? single ?? bare ?? '',
  );
}

/** Lines of shell blocks in the pages that begin with the program's name. */
function linesInDocs(): string[] {
  const pages = [
    'README.md',
    ...readdirSync(join(ROOT, 'docs'))
      .filter((name) => name.endsWith('.md'))
      .map((name) => `docs/${name}`),
  ];
  const lines = pages.flatMap((page) =>
    [...readFileSync(join(ROOT, page), 'utf8').matchAll(/```(?:sh|console)\n([\s\S]*?)```/g)].flatMap(
      ([, block = '']) => [...block.matchAll(/^(?:\$ )?(?:npx )?emballage (.+)$/gm)].map(([, line = '']) => line),
    ),
  );
  // Several commands in one line are told apart by `&&`.
  return lines.flatMap((line) => line.split(/ && (?:npx )?emballage /));
}

async function linesInHelp(): Promise<string[]> {
  const commands = await Promise.all(
    COMMANDS.map(async (entry) => {
      const { command } = await entry.load();
      return command.examples.map(([args]) => `${entry.name} ${args}`.trim());
    }),
  );
  return commands.flat();
}

const SLIPWAY = 'destination: slipway\narch: [x86_64, arm64]\naccepts: { zip: { packed: 1 MiB } }\n';
const OFFERS = 'runtimes: { node 20: {}, python 3.11: { glibc: "2.36" } }\n';

/** What the examples speak of: Fernhaven's functions, small ones, with an index and a registry of their own. */
async function harbour(): Promise<string> {
  const packages = packageFolder(
    packageFiles('levels', '1.4.0', { 'levels.py': 'import tidebase\n' + LEVELS }, { requires: ['tidebase'] }),
    packageFiles('tidebase', '2.1.0', { 'tidebase.py': 'LOW = 1\n' }),
  );
  const { url } = await startTestIndex(packages);
  const { host } = await standInRegistry(folderWith({}));
  // What the destination enforces stands in a file of its own, beside the one that says where it is.
  const enforced = folderWith({ 'slipway.yaml': `${SLIPWAY}${OFFERS}` });
  const slipway = await standInHost(join(enforced, 'slipway.yaml'));
  const common = { artifact: 'zip', events: 'flood.json' };
  const sheet = {
    project: 'fernhaven-tides',
    fill: [{ file: 'deploy.json', at: '/sha256', value: '{surge-alert.sha256}' }],
    store: { registry: `${host}/fernhaven-store`, write: true },
    destinations: { slipway: 'slipway.yaml', moorings: 'moorings.yaml' },
    defaults: { destination: 'slipway', arch: ['x86_64'], sources: [{ index: url }] },
    functions: {
      'surge-alert': { ...common, source: 'alert', runtime: 'node 20', entry: 'alert.mjs#decide' },
      'gauge-intake': {
        ...common,
        source: 'intake',
        runtime: 'python 3.11',
        entry: 'intake.py#receive',
        needs: ['levels'],
      },
      'chart-render': {
        source: 'chart',
        runtime: 'node 20',
        entry: 'chart.mjs#draw',
        artifact: 'image',
        base: { layout: 'base' },
        destination: 'moorings',
      },
    },
  };
  const root = folderWith({
    'emballage.yaml': JSON.stringify(sheet),
    'slipway.yaml': `${SLIPWAY}deliver: { host: "${slipway.at}" }\n${OFFERS}`,
    'destinations/slipway.yaml': `${SLIPWAY}${OFFERS}`,
    'deploy.json': '{ "sha256": "" }\n',
    'moorings.yaml': `destination: moorings\narch: [x86_64]\naccepts: { image: {} }\nregistry: ${host}/fernhaven\n${OFFERS}`,
    'flood.json': '{"level":421}',
    'alert/alert.mjs': 'export const decide = ({ data }, context) => data.level > 420;\n',
    'alert/limits.json': '{}',
    'intake/intake.py': 'import levels\n\n\ndef receive(event, context):\n    return levels.mean([1, 3])\n',
    'chart/chart.mjs': 'export const draw = (event, context) => "chart";\n',
    // What examples name by a path from where the program was cloned.
    'demo/fernhaven-packages/levels-1.0.0/pyproject.toml': '[project]\nname = "levels"\nversion = "1.0.0"\n',
    'demo/fernhaven-packages/levels-1.0.0/src/levels.py': LEVELS,
    'packages/levels-1.0.0/src/levels.py': LEVELS,
    'packages/levels-1.0.0/pyproject.toml': '[project]\nname = "levels"\nversion = "1.0.0"\n',
    ...harbourKey(),
    'functions/horn/horn.mjs': 'export const sound = (event, context) => "blast";\n',
  });
  const base = [
    { name: 'usr/bin/node', data: '#!/usr/bin/sh\n', mode: 0o755 },
    { name: 'usr/bin/sh', data: 'sh', mode: 0o755 },
  ];
  layoutFolder(join(root, 'base'), [{ layers: [base] }]);
  for (const args of [['lock'], ['build'], ['send', 'surge-alert'], ['send', 'chart-render', '--tag', '0.9.0']])
    expect(run(root, args)).toMatchObject({ status: 0, stderr: '' });
  const git = ['-c', 'user.name=Ada', '-c', 'user.email=ada@fernhaven.example'];
  for (const args of [
    ['init', '-q'],
    ['add', 'emballage.lock'],
    [...git, 'commit', '-q', '-m', 'tides'],
  ])
    expect(spawnSync('git', args, { cwd: root }).status).toBe(0);
  copyFileSync(join(root, 'out/surge-alert/x86_64/surge-alert.zip'), join(root, 'other.zip'));
  return root;
}

/** Made here, so that no key lies in the repository. */
function harbourKey(): Record<string, string> {
  const { privateKey, publicKey } = generateKeyPairSync('ed25519');
  return {
    'harbour.key': privateKey.export({ type: 'pkcs8', format: 'pem' }).toString(),
    'keys/harbour.pem': publicKey.export({ type: 'spki', format: 'pem' }).toString(),
  };
}

/** Starts what serves, until it says where; whatever port an example names, one that is free. */
async function served(root: string, args: readonly string[]): Promise<string> {
  const at = args.indexOf('--port');
  const free = at < 0 ? [...args, '--port', '0'] : args.map((one, i) => (i === at + 1 ? '0' : one));
  const child = spawn(process.execPath, [PROGRAM, ...free], { cwd: root, env: environment(root) });
  let said = '';
  const ended = new Promise<void>((resolve) => child.once('exit', () => resolve()));
  for (const stream of [child.stdout, child.stderr])
    createInterface({ input: stream }).on('line', (line) => {
      said += `${line}\n`;
      if (/http:\/\/|127\.0\.0\.1:\d+/.test(line)) child.kill('SIGINT');
    });
  await ended;
  return said;
}

it('every example in help, README and docs does what it says', async () => {
  const root = await harbour();
  const all = [...new Set([...(await linesInHelp()), ...linesInDocs()])].filter((line) => !DEMO.test(line));
  expect(all.length).toBeGreaterThan(30);
  const failed: unknown[] = [];
  // Those that write a sheet come last.
  const order = [...all].sort((a, b) => Number(a.includes('--write')) - Number(b.includes('--write')));
  for (const line of order) {
    const args = wordsOf(line);
    if (SERVING.test(line)) {
      const said = await served(root, args);
      if (!/127\.0\.0\.1:\d+/.test(said)) failed.push([line, said]);
      continue;
    }
    const { status, stdout, stderr } = run(root, args);
    if (status !== 0) failed.push([line, status, stdout.slice(-400), stderr]);
  }
  expect(failed).toEqual([]);
}, 180_000);
