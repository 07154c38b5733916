// What all measures share: made-up trees, timing by turns, rows with verdicts. NODE_EXTRA_CA_CERTS is unset: reading
// certificates at every start would hide what is measured.
import { spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

export const program = fileURLToPath(new URL('../bin/emballage.js', import.meta.url));
export const base = mkdtempSync(join(tmpdir(), 'emballage-bench-'));
process.on('exit', () => rmSync(base, { recursive: true, force: true }));
/** What was measured: name, ours, the other, ratio, at most, verdict. */
export const rows = [];
export const HEAD = ['measure', 'ours', 'other', 'ratio', 'at most', ''];
/** How it grows: name, sizes, three times, power, verdict. */
export const growths = [];
export const GROWTH_HEAD = ['work', 'sizes', 'a quarter', 'the size', 'four times', 'power', ''];

export function project(name, functions, keys = {}) {
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

export function filesBelow(folder) {
  return readdirSync(folder, { recursive: true, withFileTypes: true })
    .filter((one) => one.isFile())
    .map((one) => join(one.parentPath ?? one.path, one.name));
}

export function makeTree(folder, files, averageBytes) {
  const next = numbers(files);
  for (let i = 0; i < files; i++) {
    const bytes = Math.floor(averageBytes * (0.2 + next(1600) / 1000));
    put(
      join(folder, `d${i % 50}`, `f${i}.${i % 5 === 0 ? 'bin' : 'txt'}`),
      i % 5 === 0 ? noise(i, bytes) : text(i, bytes),
    );
  }
}

export function numbers(seed) {
  let state = seed >>> 0;
  return (below) => {
    state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
    return Math.floor((state / 2 ** 32) * below);
  };
}

export function noise(seed, length) {
  const next = numbers(seed);
  return Buffer.from(Array.from({ length }, () => next(256)));
}

export function text(seed, length) {
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

export function put(path, content) {
  mkdirSync(dirname(path), { recursive: true });
  writeFileSync(path, content);
}

/** Runs the measures by turns; gives the median of each. */
export function byTurns(rounds, measures) {
  const times = measures.map(() => []);
  for (const measure of measures) measure();
  for (let i = 0; i < rounds; i++) measures.forEach((measure, k) => times[k].push(measure()));
  return times.map((all) => all.sort((a, b) => a - b)[rounds >> 1]);
}

export function time(cwd, command, args) {
  const begun = performance.now();
  run(cwd, command, args);
  return performance.now() - begun;
}

export function run(cwd, command, args) {
  const { status, error, stderr } = spawnSync(command, args, { cwd, env: env(), stdio: ['ignore', 'ignore', 'pipe'] });
  if (status !== 0) throw error ?? new Error(`${command} ${args.join(' ')}: ${stderr}`);
}

export function env() {
  const { NODE_EXTRA_CA_CERTS: _certificates, SOURCE_DATE_EPOCH: _epoch, ...rest } = process.env;
  // What is kept for the user goes with the rest.
  return { ...rest, XDG_CACHE_HOME: join(base, 'caches') };
}

export function report(name, ours, other, most) {
  rows.push([name, ms(ours), ms(other), ratio(ours / other), String(most), verdict(ours / other, most)]);
}

/** The most memory that Node.js takes for it, in MiB, against what it may. */
export function reportMemory(name, cwd, args, most) {
  const { stderr } = spawnSync('/usr/bin/time', ['-f', '%M', process.execPath, ...args], {
    cwd,
    env: env(),
    encoding: 'utf8',
  });
  const mib = Number(stderr.trim().split('\n').at(-1)) / 1024;
  rows.push([name, `${mib.toFixed(0)} MiB`, '', '', `${most} MiB`, verdict(mib, most)]);
}

export function ms(value) {
  return `${value.toFixed(0)} ms`;
}

export function ratio(value) {
  return value.toFixed(2);
}

export function verdict(value, most) {
  return value <= most ? 'holds' : 'missed';
}

export function table(lines) {
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
