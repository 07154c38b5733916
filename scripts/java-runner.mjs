// Compiles the runner of JVM functions and packs its classes, so that neither building the tool nor trying a function needs
// a Java compiler. With --check nothing is written: it fails when the packed classes are not what the source compiles to.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { crc32 } from 'node:zlib';

process.chdir(new URL('..', import.meta.url).pathname);
const { DOS_FLOOR, METHOD_STORED, ZipWriter } = createRequire(import.meta.url)('../dist/core/formats/zip/index.js');
const target = 'src/core/languages/jvm/run/runner.jar';
const folder = 'src/core/languages/jvm/run/java/emballage/host';
const out = mkdtempSync(join(tmpdir(), 'emballage-runner-'));
try {
  const files = readdirSync(folder).map((name) => join(folder, name));
  // What it compiles to may differ between compilers in what does not matter; this is the one that is compared.
  const version = spawnSync('javac', ['-version'], { encoding: 'utf8' });
  if (version.status !== 0) throw new Error('no Java compiler on the PATH: bash scripts/toolchains.sh installs one');
  const { status } = spawnSync(
    'javac',
    ['--release', '11', '-g:lines,source', '-encoding', 'UTF-8', '-d', out, ...files],
    {
      stdio: 'inherit',
    },
  );
  if (status !== 0) throw new Error('the runner does not compile');
  const parts = [];
  const sink = { append: (bytes) => parts.push(Buffer.from(bytes)), hold() {}, patch() {}, release() {} };
  const writer = new ZipWriter(sink, DOS_FLOOR);
  const classes = join(out, 'emballage/host');
  for (const name of readdirSync(classes).sort()) {
    const data = readFileSync(join(classes, name));
    writer.add(
      { path: `emballage/host/${name}`, kind: 'file', mode: 0o644 },
      { method: METHOD_STORED, crc32: crc32(data), uncompressedSize: data.length, data },
    );
  }
  writer.finish();
  const bytes = Buffer.concat(parts);
  if (!process.argv.includes('--check')) writeFileSync(target, bytes);
  else if (!/\b17\./.test(version.stdout))
    console.log(`not compared: ${version.stdout.trim()}, where javac 17 made ${target}`);
  else if (!readFileSync(target).equals(bytes)) {
    console.error(`${target} is not what ${folder} compiles to: run node scripts/java-runner.mjs`);
    process.exitCode = 1;
  }
} finally {
  rmSync(out, { recursive: true, force: true });
}
