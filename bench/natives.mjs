// Native files of this machine: stripped against `strip`, inspected against `readelf`.
import { spawnSync } from 'node:child_process';
import { readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { base, byTurns, env, ms, ratio, report, rows, run, time } from './tools.mjs';

export function natives() {
  const { files, big } = elfFiles();
  const script = fileURLToPath(new URL('native.mjs', import.meta.url));
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
    report(`strip ${big.length} files over 5 MB (${Math.round(bytes / 1e6)} MB) against strip -s`, ours, other, 1.2);
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

/** Executables and libraries of this machine, and the first dozen over 5 MB that have something to strip. */
export function elfFiles() {
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
  const big = files.filter((path) => statSync(path).size > 5e6 && isStrippable(path)).slice(0, 12);
  return { files, big };
}
