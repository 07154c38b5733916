// Keeps what was measured, and writes it: machine, dates, both tables.
import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { cpus, totalmem } from 'node:os';
import { format } from 'prettier';

const KEPT = new URL('../node_modules/.cache/emballage-bench/', import.meta.url);
const fileOf = (name) => new URL(`${name}.json`, KEPT);
const today = () => new Date().toISOString().slice(0, 10);

export function keepMeasured(name, { rows, growths }) {
  mkdirSync(KEPT, { recursive: true });
  writeFileSync(fileOf(name), JSON.stringify({ date: today(), rows, growths }));
}

export async function writeResults(names, { HEAD, GROWTH_HEAD }) {
  const kept = names
    .filter((name) => existsSync(fileOf(name)))
    .map((name) => JSON.parse(readFileSync(fileOf(name), 'utf8')));
  const [rows, growths] = [kept.flatMap((one) => one.rows), kept.flatMap((one) => one.growths)];
  const dates = [...new Set(kept.map(({ date }) => date))].sort();
  const [{ model } = { model: 'unknown' }] = cpus();
  const system = spawnSync('uname', ['-sr'], { encoding: 'utf8' }).stdout?.trim() ?? process.platform;
  const machine = `${cpus().length} cores (${model}), ${Math.round(totalmem() / 1024 ** 3)} GiB, Node.js ${process.version.slice(1)}, ${system}`;
  const missed = rows.filter((row) => row.at(-1) === 'missed').length;
  const lines = [
    '# What was measured',
    '',
    `Written by \`npm run bench -- --results\`, measured on ${[dates[0], dates.at(-1)].filter((one, i, all) => all.indexOf(one) === i).join(' to ')}: ${machine}.`,
    '',
    `Both of a row run by turns, and medians are compared. The machine is shared: single times move by 40 %. ${missed} of ${rows.length} rows miss what they should hold.`,
    '',
    ...markdown(HEAD, rows),
    '',
    '## How it grows',
    '',
    'The same work at a quarter of its size, at its size, and at four times that. The power says how time grows from the size to four times it: 1 is in proportion.',
    '',
    ...markdown(GROWTH_HEAD, growths),
    '',
  ];
  writeFileSync(new URL('results.md', import.meta.url), await format(lines.join('\n'), { parser: 'markdown' }));
}

function markdown(head, rows) {
  const line = (cells) => `| ${cells.map((cell) => cell.trim().replaceAll('|', '\\|')).join(' | ')} |`;
  return [line(head), `|${head.map((_, i) => (i === 0 ? '---' : '--:')).join('|')}|`, ...rows.map(line)];
}
