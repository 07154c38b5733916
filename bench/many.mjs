// Many functions at once: checking them all against checking each, and a lock in which nothing changed.
import { spawnSync } from 'node:child_process';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { join } from 'node:path';
import { base, byTurns, ms, program, put, ratio, report, rows, run, time } from './tools.mjs';

const { writeMany } = createRequire(import.meta.url)('../test/support/many-functions.js');
const node = process.execPath;

/** 200 functions in six languages. Single checks are sampled, some of each language, and their mean counts for all. */
export function checkMany() {
  const { root, names } = many(200);
  const sample = names.filter((_, i) => i % 10 === 0);
  const single = () => sample.reduce((sum, name) => sum + time(root, node, [program, 'check', name, '--quiet']), 0);
  const [all, some] = byTurns(3, [() => time(root, node, [program, 'check', '--quiet']), single]);
  const sum = (some / sample.length) * names.length;
  const { targets } = JSON.parse(
    spawnSync(node, [program, 'build', '--json'], { cwd: root, maxBuffer: 1 << 28 }).stdout,
  );
  report(`check of ${names.length} functions, ${targets.length} targets, against single checks`, all, sum, 0.3);
}

/** Functions in many languages, built. */
export function many(count) {
  const root = join(base, `check-${count}`);
  writeMany(root, count);
  const at = join(root, 'emballage.yaml');
  const sheet = JSON.parse(readFileSync(at, 'utf8'));
  for (const spec of Object.values(sheet.functions)) spec.arch = ['x86_64', 'arm64'];
  writeFileSync(at, JSON.stringify(sheet));
  run(root, node, [program, 'lock', '--quiet']);
  run(root, node, [program, 'build', '--quiet']);
  const listed = spawnSync(node, [program, 'build', '--json'], { cwd: root, encoding: 'utf8', maxBuffer: 1 << 28 });
  const names = [...new Set(JSON.parse(listed.stdout).targets.map(({ name }) => name))];
  run(root, node, [program, 'check', '--quiet']);
  return { root, names };
}

/** Half of them Python with requirements, half Node.js with a package lock. */
export function lockMany() {
  const root = locked(200);
  const git = (...args) => run(root, 'git', ['-c', 'user.name=b', '-c', 'user.email=b@example.org', ...args]);
  writeFileSync(join(root, '.gitignore'), 'out/\n.emballage/\n');
  git('init', '-q');
  git('add', '-A');
  git('commit', '-q', '-m', 'all');
  spawnSync('sleep', ['0.2']);
  run(root, node, [program, 'lock', '--quiet']);
  const [start, lock, status] = byTurns(9, [
    () => time(root, node, ['-e', '0']),
    () => time(root, node, [program, 'lock', '--quiet']),
    () => time(root, 'git', ['status']),
  ]);
  report('lock, nothing changed, 200 functions, against git status', lock, status, 6);
  rows.push(['  (of which Node.js needs to start at all)', ms(start), ms(status), ratio(start / status), '', '']);
}

/** A project with a lock. */
export function locked(count) {
  const root = join(base, `lock-${count}`);
  packagesIn(root);
  const functions = {};
  for (let i = 0; i < count; i++) {
    const name = `f${i}`;
    const source = `functions/${name}`;
    const isNode = i % 2 === 0;
    functions[name] = isNode
      ? { source, runtime: 'node 20', entry: 'a.mjs#run', artifact: 'zip' }
      : { source, runtime: 'python 3.11', entry: 'a.py#run', artifact: 'zip', sources: [{ folder: 'wheels' }] };
    put(
      join(root, source, isNode ? 'a.mjs' : 'a.py'),
      isNode ? `export const run = () => ${i};\n` : `def run(e, c):\n    return ${i}\n`,
    );
    if (isNode) putNodeNeeds(join(root, source));
    else put(join(root, source, 'requirements.txt'), 'levels==1.0\n');
  }
  const defaults = { destination: 'd', arch: ['x86_64', 'arm64'] };
  writeFileSync(
    join(root, 'emballage.yaml'),
    JSON.stringify({ project: 'bench', destinations: { d: 'd.yaml' }, defaults, functions }),
  );
  writeFileSync(
    join(root, 'd.yaml'),
    'destination: d\narch: [x86_64, arm64]\naccepts: { zip: {} }\nruntimes: { node 20: {}, python 3.11: { glibc: "2.36" } }\n',
  );
  run(root, node, [program, 'lock', '--quiet']);
  return root;
}

function putNodeNeeds(folder) {
  const needs = { dependencies: { levels: 'file:../../levels-1.0.0.tgz' } };
  put(join(folder, 'package.json'), JSON.stringify(needs));
  const entry = { version: '1.0.0', resolved: 'file:../../levels-1.0.0.tgz' };
  put(
    join(folder, 'package-lock.json'),
    JSON.stringify({ lockfileVersion: 3, packages: { '': needs, 'node_modules/levels': entry } }),
  );
}

function packagesIn(root) {
  mkdirSync(join(root, 'wheels'), { recursive: true });
  const info = 'levels-1.0.dist-info';
  const made = join(base, 'made-packages');
  put(join(made, 'package/package.json'), '{"name":"levels","version":"1.0.0"}');
  put(join(made, 'package/index.js'), 'exports.level = 1;\n');
  spawnSync('tar', ['-czf', join(root, 'levels-1.0.0.tgz'), 'package'], { cwd: made });
  put(join(made, 'wheel/levels.py'), 'LEVEL = 1\n');
  put(join(made, `wheel/${info}/METADATA`), 'Metadata-Version: 2.1\nName: levels\nVersion: 1.0\n');
  put(join(made, `wheel/${info}/WHEEL`), 'Wheel-Version: 1.0\nRoot-Is-Purelib: true\nTag: py3-none-any\n');
  put(join(made, `wheel/${info}/RECORD`), `levels.py,,\n${info}/METADATA,,\n${info}/WHEEL,,\n${info}/RECORD,,\n`);
  spawnSync('zip', ['-q', '-X', '-r', join(root, 'wheels/levels-1.0-py3-none-any.whl'), '.'], {
    cwd: join(made, 'wheel'),
  });
}
