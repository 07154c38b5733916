// Weighing, explaining and comparing, for run.mjs: what a large artifact costs beyond a start, and two large archives.
import { spawnSync } from 'node:child_process';
import { readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

export function measureSeeing({
  base,
  program,
  env,
  project,
  makeTree,
  put,
  noise,
  byTurns,
  time,
  run,
  rows,
  verdict,
  ms,
  report,
}) {
  const node = process.execPath;
  const large = (name, files) => {
    const root = project(name, 1);
    makeTree(join(root, 'functions/f0'), files, 300);
    run(root, node, [program, 'build', '--quiet']);
    // The first time a waybill is held against its schema.
    run(root, node, [program, 'weigh', 'f0']);
    return root;
  };
  const root = large('seeing', 20_000);
  const [file] = JSON.parse(readFileSync(join(root, 'out/f0/arm64/f0.waybill.json'), 'utf8')).files.slice(-1);
  const [start, weigh, why] = byTurns(7, [
    () => time(root, node, [program, '--version']),
    () => time(root, node, [program, 'weigh', 'f0']),
    () => time(root, node, [program, 'why', 'f0', file.path]),
  ]);
  const over = (name, value, most) =>
    rows.push([name, ms(value), ms(start), ms(value - start), ms(most), verdict(value - start, most)]);
  over('weigh of 20,000 files, beyond the start', weigh, 300);
  over('why of one of them, beyond the start', why, 300);

  const larger = large('report', 50_000);
  const page = join(base, 'page.html');
  const [drawn] = byTurns(3, [() => time(larger, node, [program, 'weigh', 'f0', '--report', page])]);
  rows.push(['report of 50,000 files', ms(drawn), '', '', ms(3000), verdict(drawn, 3000)]);
  const mib = statSync(page).size / 1024 ** 2;
  rows.push(['  its size', `${mib.toFixed(1)} MiB`, '', '', '5 MiB', verdict(mib, 5)]);

  // Two archives of 200 MB that differ in one file, which is as long as the other.
  const folder = join(base, 'two');
  for (let i = 0; i < 200; i++) put(join(folder, `d/f${i}`), noise(i, 1_000_000));
  const zip = (name) => spawnSync('zip', ['-q', '-X', '-0', '-r', join(base, name), 'd'], { cwd: folder });
  zip('a.zip');
  writeFileSync(join(folder, 'd/f100'), noise(999, 1_000_000));
  zip('b.zip');
  const ended = (command, args) => {
    const begun = performance.now();
    const { status } = spawnSync(command, args, { cwd: base, env: env(), stdio: 'ignore' });
    if (status !== 1) throw new Error(`${command} ${args.join(' ')} ended with ${status}`);
    return performance.now() - begun;
  };
  const [ours, other, bare] = byTurns(7, [
    () => ended(node, [program, 'compare', 'a.zip', 'b.zip']),
    // To the end, as comparing goes: without a list it stops at the first byte.
    () => ended('sh', ['-c', 'cmp -l a.zip b.zip | tail -c 1 > /dev/null; exit 1']),
    () => time(base, node, [program, '--version']),
  ]);
  report('compare two zips of 200 MB that differ in one file, against cmp -l', ours, other, 1.5);
  rows.push(['  (of which the start)', ms(bare), '', '', '', '']);
  for (const name of ['a.zip', 'b.zip']) rmSync(join(base, name));
}
