// One piece of work on compiled files, for run.mjs: `strip FROM… TO`, or `inspect LIST`. Prints the peak memory in MiB.
import { closeSync, openSync, readFileSync, writeSync } from 'node:fs';
import { createRequire } from 'node:module';

const require = createRequire(import.meta.url);
const CHUNK = 512 * 1024;
const [what, ...rest] = process.argv.slice(2);
if (what === 'strip') {
  // Stripping alone, as the system tool does it: a build also takes the digest and syncs what it writes.
  const { withFileSource } = require('../dist/core/disk/file-source.js');
  const { planStrip } = require('../dist/core/formats/elf/index.js');
  const to = rest.pop();
  const chunk = Buffer.allocUnsafe(CHUNK);
  for (const from of rest)
    await withFileSource(from, from, (source) => {
      const fd = openSync(to, 'w', 0o755);
      for (const piece of planStrip(source, 'all').pieces)
        if (piece instanceof Uint8Array) writeSync(fd, piece);
        else
          for (let done = 0; done < piece.length; done += CHUNK) {
            const part = chunk.subarray(0, Math.min(CHUNK, piece.length - done));
            source.readInto(piece.at + done, part);
            writeSync(fd, part);
          }
      closeSync(fd);
    });
} else {
  const { withFileSource } = require('../dist/core/disk/file-source.js');
  const { readElf } = require('../dist/core/formats/elf/index.js');
  for (const path of readFileSync(rest[0], 'utf8').split('\n'))
    if (path !== '') await withFileSource(path, path, (source) => readElf(source));
}
console.log(Math.round(process.resourceUsage().maxRSS / 1024));
