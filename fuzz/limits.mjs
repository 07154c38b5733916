// What is as large as it may be: 200,000 files, a file of 3 GiB, 1,000 functions. `npm run limits` builds, checks and builds
// again, and holds status, entries, and memory (512 MiB) of each. It takes some minutes and 4 GiB of room.
import { spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, statSync, truncateSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';

const program = fileURLToPath(new URL('../bin/emballage.js', import.meta.url));
const MOST_MIB = 512;
const base = mkdtempSync(join(tmpdir(), 'emballage-limits-'));
process.on('exit', () => rmSync(base, { recursive: true, force: true }));
let faults = 0;

attack('200,000 files', ['f'], (source) => {
  for (let d = 0; d < 200; d++) {
    mkdirSync(join(source, `d${d}`));
    for (let i = 0; i < 1000; i++) writeFileSync(join(source, `d${d}/${i}.txt`), String(i));
  }
});
attack('a file of 3 GiB', ['f'], (source) => {
  writeFileSync(join(source, 'big.bin'), 'at its beginning');
  truncateSync(join(source, 'big.bin'), 3 * 1024 ** 3);
});
attack(
  '1,000 functions',
  Array.from({ length: 1000 }, (_, i) => `f${i}`),
  () => {},
);
console.log(faults === 0 ? 'all hold' : `${faults} do not hold`);
process.exitCode = faults === 0 ? 0 : 1;

function attack(what, names, fill) {
  const root = join(base, what.replaceAll(/\W+/g, '-'));
  mkdirSync(join(root, 'src'), { recursive: true });
  writeFileSync(join(root, 'src/a.mjs'), 'export const run = () => 1;\n');
  fill(join(root, 'src'));
  const spec = { source: 'src', runtime: 'node 20', entry: 'a.mjs#run', artifact: 'zip' };
  const defaults = { destination: 'd', arch: ['arm64'] };
  const functions = Object.fromEntries(names.map((name) => [name, spec]));
  const sheet = { project: 'limits', destinations: { d: 'd.yaml' }, defaults, functions };
  writeFileSync(join(root, 'emballage.yaml'), JSON.stringify(sheet));
  writeFileSync(
    join(root, 'd.yaml'),
    'destination: d\narch: [arm64]\naccepts: { zip: {} }\nruntimes: { node 20: {} }\n',
  );
  for (const args of [['build'], ['check'], ['build'], ['weigh', names[0]]]) {
    const outcome = spawnSync('/usr/bin/time', ['-f', '%M %e', process.execPath, program, ...args, '--quiet'], {
      cwd: root,
      encoding: 'utf8',
      maxBuffer: 1 << 28,
      env: { ...process.env, XDG_CACHE_HOME: join(root, '.caches') },
    });
    const [kib = '', seconds = ''] = (outcome.stderr.trim().split('\n').at(-1) ?? '').split(' ');
    const mib = Number(kib) / 1024;
    const holds = outcome.status === 0 && mib <= MOST_MIB;
    if (!holds) faults += 1;
    const shown = [what.padEnd(16), args[0].padEnd(6), `${mib.toFixed(0)} MiB`.padStart(8), `${seconds} s`.padStart(8)];
    console.log([...shown, holds ? 'holds' : `MISSED, status ${outcome.status}`].join('  '));
  }
  const [first] = names;
  const { artifact } = JSON.parse(readFileSync(join(root, `out/${first}/arm64/${first}.waybill.json`), 'utf8'));
  if (artifact.size !== statSync(join(root, `out/${first}/arm64/${first}.zip`)).size) faults += 1;
  rmSync(root, { recursive: true, force: true });
}
