// One piece of work on compiled files, for run.mjs: `strip FROM… TO`, or `inspect LIST`. Prints the peak memory in MiB.
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';

const require = createRequire(import.meta.url);
const [what, ...rest] = process.argv.slice(2);
if (what === 'strip') {
  const { writeStripped } = require('../dist/core/pipeline/compile-target.js');
  const to = rest.pop();
  for (const from of rest) await writeStripped(from, to, 'all');
} else {
  const { withFileSource } = require('../dist/core/disk/file-source.js');
  const { readElf } = require('../dist/core/formats/elf/index.js');
  for (const path of readFileSync(rest[0], 'utf8').split('\n'))
    if (path !== '') await withFileSource(path, path, (source) => readElf(source));
}
console.log(Math.round(process.resourceUsage().maxRSS / 1024));
