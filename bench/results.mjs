// Writes what was measured: machine, date, both tables.
import { spawnSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { cpus, totalmem } from 'node:os';

export function writeResults({ rows, growths, HEAD, GROWTH_HEAD }) {
  const [{ model } = { model: 'unknown' }] = cpus();
  const gib = Math.round(totalmem() / 1024 ** 3);
  const version = (program, ...args) =>
    spawnSync(program, args, { encoding: 'utf8' }).stdout?.trim().split('\n')[0] ?? 'none';
  const missed = rows.filter((row) => row.at(-1) === 'missed').length;
  const lines = [
    '# What was measured',
    '',
    `Written by \`npm run bench -- --results\` on ${new Date().toISOString().slice(0, 10)}: ${cpus().length} cores (${model}), ${gib} GiB, ` +
      `Node.js ${process.version.slice(1)}, ${version('uname', '-sr')}. Both of a row run by turns in one run, and medians are compared; ` +
      `a shared machine, on which single times move by 40 %. ${missed} of ${rows.length} rows miss what they should hold.`,
    '',
    ...markdown(HEAD, rows),
    '',
    '## How it grows',
    '',
    'The same work at a quarter of its size, at its size, and at four times that. The power says how time grows with the work: ' +
      '1 is in proportion.',
    '',
    ...markdown(GROWTH_HEAD, growths),
    '',
  ];
  writeFileSync(new URL('results.md', import.meta.url), lines.join('\n'));
}

function markdown(head, rows) {
  const line = (cells) => `| ${cells.map((cell) => cell.trim().replaceAll('|', '\\|')).join(' | ')} |`;
  return [line(head), `|${head.map((_, i) => (i === 0 ? '---' : '--:')).join('|')}|`, ...rows.map(line)];
}
