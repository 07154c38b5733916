// Builds functions on real packages, calls them from the artifact, and holds each answer against a plain installation's.
// Needs the registries of the ecosystem. `npm run test:real -- python|node|jvm|go|rust [NAME…]`
import { spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

const root = fileURLToPath(new URL('../..', import.meta.url));
const PROGRAM = join(root, 'bin/emballage.js');
const [ecosystem, ...names] = process.argv.slice(2);
const kinds = {
  python: (await import('./python.mjs')).python,
  node: (await import('./node.mjs')).node,
  jvm: (await import('./jvm.mjs')).jvm,
  go: (await import('./native.mjs')).go,
  rust: (await import('./native.mjs')).rust,
};
const kind = kinds[ecosystem];
if (kind === undefined) {
  console.error(`name an ecosystem: ${Object.keys(kinds).join(', ')}`);
  process.exit(2);
}

const cases = JSON.parse(readFileSync(join(root, `test/real/${ecosystem}.json`), 'utf8'));
const chosen = cases.filter(({ name }) => names.length === 0 || names.includes(name));
const wrong = [];
let right = 0;
for (const one of chosen) {
  const plain = withFolder((folder) => kind.plain(one, folder));
  for (const keys of kind.forms) {
    const label = `${one.name} ${JSON.stringify(keys)}`;
    const found = withFolder((folder) => fromArtifact(one, folder, keys));
    if (found.answer !== undefined && found.answer === plain.answer && found.stops.length === 0) {
      right += 1;
      console.log(`right  ${label}  ${found.size}`);
    } else {
      wrong.push(label);
      console.log(
        `WRONG  ${label}\n    plain     ${shorten(plain.answer ?? plain.error)}\n    artifact  ${shorten(found.answer ?? found.error)}`,
      );
      for (const stop of found.stops) console.log(`    stop      ${stop}`);
    }
  }
}
console.log(
  `\n${String(right)} right, ${String(wrong.length)} wrong${wrong.length === 0 ? '' : `: ${wrong.join(', ')}`}`,
);
process.exitCode = wrong.length === 0 ? 0 : 1;

function shorten(text) {
  return String(text).trim().slice(0, 600);
}

function withFolder(work) {
  const folder = mkdtempSync(join(tmpdir(), 'emballage-real-'));
  try {
    return work(folder);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

function put(folder, files) {
  for (const [path, content] of Object.entries(files)) {
    mkdirSync(dirname(join(folder, path)), { recursive: true });
    writeFileSync(join(folder, path), content);
  }
}

function fromArtifact(one, folder, keys) {
  const { trim, ...others } = keys;
  const spec = {
    source: 'f',
    destination: 'host',
    arch: ['x86_64'],
    timeout: '60 s',
    memory: '2 GiB',
    artifact: 'zip',
    ...(trim !== undefined && { trim }),
    ...others,
    ...kind.spec(one),
  };
  const settings = one.settings === undefined ? {} : { settings: one.settings };
  put(folder, {
    'emballage.yaml': JSON.stringify({
      project: 'real',
      destinations: { host: 'host.yaml' },
      functions: { f: { ...spec, ...settings } },
    }),
    'host.yaml': JSON.stringify({
      destination: 'host',
      arch: ['x86_64'],
      accepts: { zip: {}, jar: {} },
      runtimes: {
        'python 3.11': { glibc: '2.36' },
        'node 20': { glibc: '2.36' },
        'java 17': { glibc: '2.36' },
        native: { glibc: '2.36' },
      },
    }),
    'event.json': JSON.stringify(one.event ?? { data: {} }),
  });
  kind.source(one, join(folder, 'f'), put);
  const run = (...args) =>
    spawnSync(process.execPath, [PROGRAM, ...args], {
      cwd: folder,
      encoding: 'utf8',
      maxBuffer: 1 << 28,
      env: process.env,
    });
  for (const command of ['lock', 'build']) {
    const { status, stderr } = run(command);
    if (status !== 0) return { error: `${command}: ${stderr}`, stops: [] };
  }
  const checked = JSON.parse(run('check', '--json').stdout);
  const stops = (checked.artifacts ?? []).flatMap(({ rules }) =>
    rules.flatMap(({ id, findings }) =>
      findings.filter(({ level }) => level === 'stop').map(({ where, found }) => `${id} ${where ?? ''}: ${found}`),
    ),
  );
  const built = JSON.parse(run('build', '--json').stdout).targets[0];
  const tried = run('try', 'f', '--event', 'event.json', '--json');
  const size = `${(built.size / 1024).toFixed(0)} KiB, ${String(built.files)} files`;
  try {
    const [call] = JSON.parse(tried.stdout).calls;
    if (call.answer.kind !== 'answered')
      return { error: JSON.stringify(call.answer.failure) + call.log.lines.slice(-12).join('\n'), stops, size };
    return { answer: kind.settled(JSON.parse(call.answer.json)), stops, size };
  } catch {
    return { error: tried.stderr || tried.stdout, stops, size };
  }
}
