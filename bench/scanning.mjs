// Looking through 1 GB of packed files for secrets, for run.mjs: against grep with twenty patterns over the same files.
import { spawnSync } from 'node:child_process';
import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

const PATTERNS = [
  ...[
    '-----BEGIN [A-Z ]*PRIVATE KEY-----',
    'gh[pousr]_[A-Za-z0-9]{36}',
    'npm_[A-Za-z0-9]{36}',
    'glpat-[A-Za-z0-9_-]{20}',
  ],
  ...['xox[bpars]-[0-9A-Za-z-]{24}', '[sr]k_live_[A-Za-z0-9]{20}', 'AIza[A-Za-z0-9_-]{35}', 'ya29\\.[A-Za-z0-9_-]{30}'],
  ...[
    'SG\\.[A-Za-z0-9_-]{22}\\.[A-Za-z0-9_-]{43}',
    'dop_v1_[0-9a-f]{64}',
    'shpat_[0-9a-f]{32}',
    'hvs\\.[A-Za-z0-9_-]{24}',
  ],
  ...['hf_[A-Za-z]{34}', '(AKIA|ASIA)[A-Z2-7]{16}', '[0-9]{8,10}:AA[A-Za-z0-9_-]{33}', 'AccountKey=[A-Za-z0-9+/]{43}'],
  ...[
    '[a-z+]+://[^ :@/]+:[^ @/]+@',
    'eyJ[A-Za-z0-9_-]{8,}\\.eyJ',
    'AGE-SECRET-KEY-1',
    'password *[=:] *.[A-Za-z0-9]{12}',
  ],
];

export function measureScanning({ base, program, env, words, noise, byTurns, time, report }) {
  const folder = join(base, 'scan');
  mkdirSync(join(folder, 'd'), { recursive: true });
  // Four fifths text, one fifth what looks like a program.
  for (let i = 0; i < 50; i++)
    writeFileSync(join(folder, `d/f${i}`), i % 5 === 0 ? noise(i, 20_000_000) : words(i, 20_000_000));
  spawnSync('zip', ['-q', '-X', '-0', '-r', join(base, 'scan.zip'), 'd'], { cwd: folder });
  writeFileSync(
    join(base, 'scan.yaml'),
    'destination: scan\narch: [x86_64]\naccepts: { zip: {} }\nruntimes: { node 20: {} }\n',
  );
  const [ours, other] = byTurns(3, [
    () => time(base, process.execPath, [program, 'check', 'scan.zip', '--at', 'scan.yaml', '--quiet']),
    () => {
      const begun = performance.now();
      spawnSync('grep', ['-raE', ...PATTERNS.flatMap((one) => ['-e', one]), 'd'], {
        cwd: folder,
        env: env(),
        stdio: 'ignore',
      });
      return performance.now() - begun;
    },
  ]);
  report('looking for secrets in 1 GB, against grep -rE with twenty patterns', ours, other, 3);
}
