// Compares the program with plain system tools in one run and prints ratios. Each pair is run by turns, so that whatever
// else the machine does falls on both; medians are compared. NODE_EXTRA_CA_CERTS is unset: reading certificates at every
// start would hide what is measured.
import { spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { measureAssemblies } from './assemblies.mjs';
import { measureDelivering } from './delivering.mjs';
import { measureImages } from './image.mjs';
import { makeApplication } from './node-app.mjs';
import { measureScanning } from './scanning.mjs';
import { measureSeeing } from './seeing.mjs';
import { measureSharing } from './sharing.mjs';

const program = fileURLToPath(new URL('../bin/emballage.js', import.meta.url));
const base = mkdtempSync(join(tmpdir(), 'emballage-bench-'));
process.on('exit', () => rmSync(base, { recursive: true, force: true }));
const rows = [];

// All of them, or those that are named.
const MEASURES = {
  startUp,
  coldBuild,
  nothingChanged,
  smallCommands,
  largeTree,
  modules,
  wheels,
  jars,
  natives,
  images,
  seeing,
  sharing,
  delivering,
  scanning,
  assemblies,
};
const only = process.argv.slice(2);
for (const [name, measure] of Object.entries(MEASURES)) if (only.length === 0 || only.includes(name)) await measure();
console.log(table([['measure', 'ours', 'other', 'ratio', 'at most', ''], ...rows]));

function seeing() {
  const tools = { project, makeTree, put, noise, byTurns, time, run, rows, verdict, ms, report };
  measureSeeing({ base, program, env, ...tools });
}

function sharing() {
  return measureSharing({ base, program, env, rows, verdict, ms });
}

function delivering() {
  return measureDelivering({ base, program, env, rows, verdict, byTurns, time, report });
}

function scanning() {
  measureScanning({ base, program, env, words: text, noise, byTurns, time, report });
}

function assemblies() {
  measureAssemblies({ base, program, env, byTurns, time, report });
}

function startUp() {
  const [ours, other] = byTurns(7, [
    () => time(base, process.execPath, [program, '--help']),
    () => time(base, process.execPath, ['-e', '0']),
  ]);
  report('--help against node -e 0', ours, other, 2.5);
}

/** 5,000 files, 100 MB: four fifths text of made-up words and numbers, one fifth noise. */
function coldBuild() {
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
  report('cold build, 5,000 files, 100 MB, against zip -6', ours, other, 0.8);
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

function nothingChanged() {
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
function smallCommands() {
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

function largeTree() {
  const root = project('large', 1);
  const folder = join(root, 'functions/f0');
  const block = Buffer.concat([text(7, 3 << 20), noise(8, 1 << 20)]);
  for (let i = 0; i < 16; i++) put(join(folder, `d${i}`), Buffer.concat(Array.from({ length: 32 }, () => block)));
  const { stderr } = spawnSync('/usr/bin/time', ['-f', '%M', process.execPath, program, 'build', '--quiet'], {
    cwd: root,
    env: env(),
    encoding: 'utf8',
  });
  const mib = Number(stderr.trim().split('\n').at(-1)) / 1024;
  rows.push(['memory of packing 2 GiB', `${mib.toFixed(0)} MiB`, '', '', '250 MiB', verdict(mib, 250)]);
}

/** An application of 3,000 modules, traced and linked; the parser library alone on the same files, on one core. */
function modules() {
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
  report('trace and link 3,000 modules, cold, against parsing them', cold, parse, 1.5);
  report('  warm after one edit, against cold', warm, cold, 0.1);
  rmSync(join(root, '.emballage'), { recursive: true, force: true });
  const { stderr } = spawnSync('/usr/bin/time', ['-f', '%M', process.execPath, script('link.mjs'), root], {
    encoding: 'utf8',
    env: env(),
  });
  const mib = Number(stderr.trim().split('\n').at(-1)) / 1024;
  rows.push(['  memory', `${mib.toFixed(0)} MiB`, '', '', '500 MiB', verdict(mib, 500)]);
}

/**
 * Some sixty real JARs, merged with one package moved, against unpacking them all and packing what comes of it with the JDK's
 * own tool. They are fetched once; a folder of JARs that is there already is named with EMBALLAGE_BENCH_JARS.
 */
function jars() {
  const folder = process.env.EMBALLAGE_BENCH_JARS;
  if (folder === undefined || spawnSync('jar', ['--version']).status !== 0) {
    console.error('left out: JARs. Name a folder of some sixty with EMBALLAGE_BENCH_JARS, and have a JDK');
    return;
  }
  const names = readdirSync(folder)
    .filter((name) => name.endsWith('.jar'))
    .sort();
  const jarProject = (name, more) => {
    const keys = { runtime: 'java 17', entry: 'bench.Main#run', artifact: 'jar', ...more };
    const made = project(name, 1, { ...keys, relocate: { 'org.slf4j': 'bench.slf4j' } });
    const source = join(made, 'functions/f0');
    mkdirSync(source, { recursive: true });
    for (const one of names) writeFileSync(join(source, one), readFileSync(join(folder, one)));
    return made;
  };
  const root = jarProject('jars', {});
  const traced = jarProject('traced-jars', { trim: 'traced', keep: ['**/*Factory.class'] });
  const source = join(root, 'functions/f0');
  writeFileSync(join(source, 'edit.txt'), '0');
  const state = join(root, '.emballage');
  const build = () => time(root, process.execPath, [program, 'build', '--quiet']);
  let edits = 0;
  const [cold, small, warm, plain] = byTurns(3, [
    () => (rmSync(state, { recursive: true, force: true }), build()),
    () => {
      rmSync(join(traced, '.emballage'), { recursive: true, force: true });
      return time(traced, process.execPath, [program, 'build', '--quiet']);
    },
    () => (writeFileSync(join(source, 'edit.txt'), String((edits += 1))), build()),
    () => {
      const open = join(base, 'jars-open');
      rmSync(open, { recursive: true, force: true });
      mkdirSync(open, { recursive: true });
      const unpacked = names.reduce((sum, name) => sum + time(open, 'jar', ['xf', join(folder, name)]), 0);
      return unpacked + time(open, 'jar', ['cf', join(base, 'other.jar'), '.']);
    },
  ]);
  report(`merge ${names.length} JARs with a package moved, cold, against jar xf and jar cf`, cold, plain, 1.2);
  report('  and traced from every factory, cold, against the same', small, plain, 2);
  report('  warm with one changed file, against cold', warm, cold, 0.25);
  rmSync(state, { recursive: true, force: true });
  const { stderr } = spawnSync('/usr/bin/time', ['-f', '%M', process.execPath, program, 'build', '--quiet'], {
    cwd: root,
    encoding: 'utf8',
    env: env(),
  });
  const mib = Number(stderr.trim().split('\n').at(-1)) / 1024;
  rows.push(['  memory', `${mib.toFixed(0)} MiB`, '', '', '700 MiB', verdict(mib, 700)]);
}

/** Some forty real wheels, fetched once; settling and unpacking them against the installer of Python itself. */
function wheels() {
  const folder = process.env.EMBALLAGE_BENCH_WHEELS ?? join(base, 'wheels');
  const wanted = [
    'fastapi[standard]',
    'pandas',
    'sqlalchemy',
    'jinja2',
    'cryptography',
    'pillow',
    'rich',
    'requests',
    'aiohttp',
  ];
  const pip = (...args) => ['python3', ['-m', 'pip', '--disable-pip-version-check', '-q', ...args]];
  if (process.env.EMBALLAGE_BENCH_WHEELS === undefined) {
    const [command, args] = pip('download', '--only-binary', ':all:', '-d', folder, ...wanted);
    const { status } = spawnSync(command, args, { stdio: 'ignore', env: process.env });
    if (status !== 0) {
      console.error('left out: wheels. They could not be fetched; name a folder of them with EMBALLAGE_BENCH_WHEELS');
      return;
    }
  }
  const version = spawnSync('python3', ['-c', 'import sys; print("%d.%d" % sys.version_info[:2])'], {
    encoding: 'utf8',
  }).stdout.trim();
  const root = join(base, 'python');
  mkdirSync(join(root, 'f'), { recursive: true });
  spawnSync('cp', ['-r', folder, join(root, 'wheels')]);
  writeFileSync(join(root, 'f/a.py'), '');
  const spec = {
    source: 'f',
    runtime: `python ${version}`,
    entry: 'a.py#f',
    artifact: 'zip',
    arch: ['x86_64'],
    destination: 'd',
    needs: wanted,
    sources: [{ folder: 'wheels' }],
  };
  writeFileSync(
    join(root, 'emballage.yaml'),
    JSON.stringify({ project: 'bench', destinations: { d: 'd.yaml' }, functions: { f: spec } }),
  );
  writeFileSync(
    join(root, 'd.yaml'),
    `destination: d\narch: [x86_64]\naccepts: { zip: {} }\nruntimes: { python ${version}: { glibc: "2.36" } }\n`,
  );
  const settle = fileURLToPath(new URL('settle.mjs', import.meta.url));
  const ours = () => time(root, process.execPath, [settle, root]);
  const forget = () =>
    ['.emballage', 'emballage.lock'].forEach((name) => rmSync(join(root, name), { recursive: true, force: true }));
  const other = () => {
    rmSync(join(base, 'target'), { recursive: true, force: true });
    const [command, args] = pip(
      'install',
      '--no-index',
      '--find-links',
      join(root, 'wheels'),
      '--target',
      join(base, 'target'),
      ...wanted,
    );
    return time(root, command, args);
  };
  const [cold, pipMs, warm] = byTurns(3, [() => (forget(), ours()), other, ours]);
  report('settle and unpack some 40 wheels, cold, against pip install', cold, pipMs, 0.5);
  report('  the same with a warm store', warm, pipMs, 0.15);
  forget();
  const { stderr } = spawnSync('/usr/bin/time', ['-f', '%M', process.execPath, settle, root], {
    encoding: 'utf8',
    env: env(),
  });
  const mib = Number(stderr.trim().split('\n').at(-1)) / 1024;
  rows.push(['  memory', `${mib.toFixed(0)} MiB`, '', '', '300 MiB', verdict(mib, 300)]);
}

function project(name, functions, keys = {}) {
  const root = join(base, name);
  mkdirSync(root, { recursive: true });
  const specs = Array.from({ length: functions }, (_, i) => [
    `f${i}`,
    { source: `functions/f${i}`, runtime: 'node 20', entry: 'a.mjs#run', artifact: 'zip', ...keys },
  ]);
  const sheet = {
    project: 'bench',
    destinations: { d: 'd.yaml' },
    defaults: { destination: 'd', arch: ['arm64'] },
    functions: Object.fromEntries(specs),
  };
  writeFileSync(join(root, 'emballage.yaml'), JSON.stringify(sheet));
  writeFileSync(
    join(root, 'd.yaml'),
    'destination: d\narch: [arm64]\naccepts: { zip: {}, jar: {} }\nruntimes: { node 20: {}, java 17: {} }\n',
  );
  return root;
}

function filesBelow(folder) {
  return readdirSync(folder, { recursive: true, withFileTypes: true })
    .filter((one) => one.isFile())
    .map((one) => join(one.parentPath ?? one.path, one.name));
}

function makeTree(folder, files, averageBytes) {
  const next = numbers(files);
  for (let i = 0; i < files; i++) {
    const bytes = Math.floor(averageBytes * (0.2 + next(1600) / 1000));
    put(
      join(folder, `d${i % 50}`, `f${i}.${i % 5 === 0 ? 'bin' : 'txt'}`),
      i % 5 === 0 ? noise(i, bytes) : text(i, bytes),
    );
  }
}

function numbers(seed) {
  let state = seed >>> 0;
  return (below) => {
    state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
    return Math.floor((state / 2 ** 32) * below);
  };
}

function noise(seed, length) {
  const next = numbers(seed);
  return Buffer.from(Array.from({ length }, () => next(256)));
}

function text(seed, length) {
  const next = numbers(seed);
  const words = Array.from({ length: 900 }, () =>
    String.fromCharCode(...Array.from({ length: 2 + next(9) }, () => 97 + next(26))),
  );
  const parts = [];
  for (let n = 0; n < length;) {
    const part = next(12) === 0 ? `${next(100_000)}\n` : words[next(1 + next(900))];
    parts.push(part);
    n += part.length + 1;
  }
  return Buffer.from(parts.join(' ').slice(0, length));
}

function put(path, content) {
  mkdirSync(dirname(path), { recursive: true });
  writeFileSync(path, content);
}

/** Stripping against `strip`, on files over 5 MB of this machine; inspecting 2,000 ELF files against `readelf`. */
function images() {
  measureImages({ base, program, env, put, text, noise, byTurns, time, run, report, rows, verdict });
}

function natives() {
  const isElf = (path) => {
    try {
      return readFileSync(path).subarray(0, 4).toString('latin1') === '\x7fELF';
    } catch {
      return false;
    }
  };
  const found = spawnSync('find', ['/usr/lib', '/usr/bin', '/usr/local', '-xdev', '-type', 'f', '-size', '+8k'], {
    encoding: 'utf8',
    maxBuffer: 1 << 28,
  });
  const files = found.stdout.split('\n').filter((path) => path !== '' && isElf(path));
  const script = fileURLToPath(new URL('native.mjs', import.meta.url));
  const big = files.filter((path) => statSync(path).size > 5e6 && isStrippable(path)).slice(0, 12);
  if (big.length > 0) {
    const stripped = join(base, 'stripped');
    let peak = 0;
    const [ours, other, bare] = byTurns(5, [
      () => {
        const begun = performance.now();
        peak = Number(
          spawnSync(process.execPath, [script, 'strip', ...big, stripped], { encoding: 'utf8', env: env() }).stdout,
        );
        return performance.now() - begun;
      },
      () => {
        const begun = performance.now();
        for (const path of big) run(base, 'strip', ['-s', '-o', stripped, path]);
        return performance.now() - begun;
      },
      () => time(base, process.execPath, ['-e', '0']),
    ]);
    const bytes = big.reduce((sum, path) => sum + statSync(path).size, 0);
    report(`strip ${big.length} files over 5 MB (${Math.round(bytes / 1e6)} MB) against strip -s`, ours, other, 1.5);
    rows.push(['  (of which Node.js needs to start at all)', ms(bare), ms(other), ratio(bare / other), '', '']);
    const twice = (2 * Math.max(...big.map((path) => statSync(path).size))) / 1024 ** 2;
    rows.push([
      '  memory of that, against twice the largest file and Node.js',
      `${peak} MiB`,
      '',
      '',
      `${Math.round(twice + 45)} MiB`,
      peak <= twice + 45 ? 'holds' : 'missed',
    ]);
  }
  const list = join(base, 'elfs');
  const some = files.slice(0, 2000);
  writeFileSync(list, some.join('\n'));
  const [ours, other] = byTurns(5, [
    () => time(base, process.execPath, [script, 'inspect', list]),
    () => time(base, 'sh', ['-c', `xargs -d '\\n' readelf -h -d -V < ${list} > /dev/null 2>&1`]),
  ]);
  report(`inspect ${some.length} ELF files against readelf -h -d -V`, ours, other, 2);
}

/** Whether there is a symbol table to take out. */
function isStrippable(path) {
  return /SYMTAB/.test(spawnSync('readelf', ['-S', '-W', path], { encoding: 'utf8', maxBuffer: 1 << 26 }).stdout);
}

/** Runs the measures by turns; gives the median of each. */
function byTurns(rounds, measures) {
  const times = measures.map(() => []);
  for (const measure of measures) measure();
  for (let i = 0; i < rounds; i++) measures.forEach((measure, k) => times[k].push(measure()));
  return times.map((all) => all.sort((a, b) => a - b)[rounds >> 1]);
}

function time(cwd, command, args) {
  const begun = performance.now();
  run(cwd, command, args);
  return performance.now() - begun;
}

function run(cwd, command, args) {
  const { status, error, stderr } = spawnSync(command, args, { cwd, env: env(), stdio: ['ignore', 'ignore', 'pipe'] });
  if (status !== 0) throw error ?? new Error(`${command} ${args.join(' ')}: ${stderr}`);
}

function env() {
  const { NODE_EXTRA_CA_CERTS: _certificates, SOURCE_DATE_EPOCH: _epoch, ...rest } = process.env;
  return rest;
}

function report(name, ours, other, most) {
  rows.push([name, ms(ours), ms(other), ratio(ours / other), String(most), verdict(ours / other, most)]);
}

function ms(value) {
  return `${value.toFixed(0)} ms`;
}

function ratio(value) {
  return value.toFixed(2);
}

function verdict(value, most) {
  return value <= most ? 'holds' : 'missed';
}

function table(lines) {
  const widths = lines[0].map((_, i) => Math.max(...lines.map((line) => line[i].length)));
  return lines
    .map((line) =>
      line
        .map((cell, i) => (i === 0 ? cell.padEnd(widths[i]) : cell.padStart(widths[i])))
        .join('  ')
        .trimEnd(),
    )
    .join('\n');
}
