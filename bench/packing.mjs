// Starting, packing, finding that nothing changed, small commands, linking.
import { spawnSync } from 'node:child_process';
import { mkdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { makeApplication } from './node-app.mjs';
import {
  base,
  byTurns,
  filesBelow,
  makeTree,
  ms,
  noise,
  program,
  project,
  put,
  ratio,
  report,
  reportMemory,
  rows,
  run,
  text,
  time,
  verdict,
} from './tools.mjs';

export function startUp() {
  const [ours, other] = byTurns(7, [
    () => time(base, process.execPath, [program, '--help']),
    () => time(base, process.execPath, ['-e', '0']),
  ]);
  report('--help against node -e 0', ours, other, 2.5);
}

/** 5,000 files, 100 MB: four fifths text of made-up words and numbers, one fifth noise. */
export function coldBuild() {
  const root = project('cold', 1);
  makeTree(join(root, 'functions/f0'), 5000, 20_000);
  const [ours, other] = byTurns(3, [
    () => {
      rmSync(join(root, 'out'), { recursive: true, force: true });
      rmSync(join(root, '.emballage'), { recursive: true, force: true });
      return time(root, process.execPath, [program, 'build', '--quiet']);
    },
    () => {
      rmSync(join(base, 'other.zip'), { force: true });
      return time(join(root, 'functions/f0'), 'zip', ['-r', '-X', '-q', '-6', join(base, 'other.zip'), '.']);
    },
  ]);
  report('cold build, 5,000 files, 100 MB, against zip -6', ours, other, 0.55);
  const sizes = [join(root, 'out/f0/arm64/f0.zip'), join(base, 'other.zip')].map((path) => statSync(path).size);
  rows.push([
    'size of that archive',
    `${sizes[0]} B`,
    `${sizes[1]} B`,
    ratio(sizes[0] / sizes[1]),
    '1.01',
    verdict(sizes[0] / sizes[1], 1.01),
  ]);
}

export function nothingChanged() {
  const root = project('warm', 30);
  for (let i = 0; i < 30; i++) makeTree(join(root, `functions/f${i}`), 667, 300);
  writeFileSync(join(root, '.gitignore'), 'out/\n.emballage/\n');
  const git = (...args) => run(root, 'git', ['-c', 'user.name=b', '-c', 'user.email=b@example.org', ...args]);
  git('init', '-q');
  git('add', '-A');
  git('commit', '-q', '-m', 'all');
  spawnSync('sleep', ['0.2']);
  run(root, process.execPath, [program, 'build', '--quiet']);
  run(root, process.execPath, [program, 'build', '--quiet']);
  // The floor: Node.js looks at the same files, from a list, and does nothing else.
  const list = join(base, 'list');
  writeFileSync(list, filesBelow(join(root, 'functions')).join('\n'));
  const look = `const fs = require('fs'); for (const path of fs.readFileSync(${JSON.stringify(list)}, 'utf8').split('\\n')) fs.lstatSync(path);`;
  const [ours, other, floor] = byTurns(9, [
    () => time(root, process.execPath, [program, 'build']),
    () => time(root, 'git', ['status']),
    () => time(root, process.execPath, ['-e', look]),
  ]);
  report('nothing changed, 30 functions, 20,000 files, against lstat of them', ours, floor, 1.5);
  report('  the same against git status', ours, other, 4);
}

/** A small function: what commands take beyond the start of Node.js, and of the function. */
export function smallCommands() {
  const root = project('small', 1);
  mkdirSync(join(root, 'functions/f0'), { recursive: true });
  writeFileSync(join(root, 'functions/f0/a.mjs'), 'export const run = (event) => event;\n');
  writeFileSync(join(root, 'event.json'), '{}');
  run(root, process.execPath, [program, 'build', '--quiet']);
  const commands = [
    ['check', 'f0'],
    ['why', 'f0', 'a.mjs'],
    ['try', 'f0', '--event', 'event.json'],
  ];
  for (const args of commands) run(root, process.execPath, [program, ...args]);
  const [bare, ...times] = byTurns(7, [
    () => time(root, process.execPath, ['-e', '0']),
    ...commands.map((args) => () => time(root, process.execPath, [program, ...args])),
  ]);
  commands.forEach(([name], i) => {
    // Calling a function starts another Node.js.
    const starts = name === 'try' ? 2 * bare : bare;
    const over = times[i] - starts;
    const most = 150;
    rows.push([
      `${name} of a small function, beyond the start of Node.js`,
      ms(times[i]),
      ms(starts),
      ms(over),
      ms(most),
      verdict(over, most),
    ]);
  });
}

export function largeTree() {
  const root = project('large', 1);
  const folder = join(root, 'functions/f0');
  const block = Buffer.concat([text(7, 3 << 20), noise(8, 1 << 20)]);
  for (let i = 0; i < 16; i++) put(join(folder, `d${i}`), Buffer.concat(Array.from({ length: 32 }, () => block)));
  reportMemory('memory of packing 2 GiB', root, [program, 'build', '--quiet'], 250);
}

/** An application of 3,000 modules, traced and linked; the parser library alone on the same files, on one core. */
export function modules() {
  const root = project('modules', 1, { entry: 'app.mjs#run', link: true });
  const folder = join(root, 'functions/f0');
  const files = makeApplication(folder, 3000);
  const list = join(base, 'modules.json');
  writeFileSync(list, JSON.stringify(files));
  const script = (name) => fileURLToPath(new URL(name, import.meta.url));
  const link = () => time(root, process.execPath, [script('link.mjs'), root]);
  const app = readFileSync(join(folder, 'app.mjs'), 'utf8');
  let edits = 0;
  const [cold, warm, parse] = byTurns(3, [
    () => (rmSync(join(root, '.emballage'), { recursive: true, force: true }), link()),
    () => {
      writeFileSync(join(folder, 'app.mjs'), `${app}// edit ${(edits += 1)}\n`);
      return link();
    },
    () => time(root, process.execPath, [script('parse.mjs'), folder, list]),
  ]);
  report('trace and link 3,000 modules, cold, against parsing them', cold, parse, 1.2);
  report('  warm after one edit, against cold', warm, cold, 0.06);
  rmSync(join(root, '.emballage'), { recursive: true, force: true });
  reportMemory('  memory', root, [script('link.mjs'), root], 500);
}
