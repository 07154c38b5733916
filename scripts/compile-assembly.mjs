// Compiles C# with Mono's compiler, and puts what is new in every build (the time, the identifier of the module) to what
// follows from the content, so that the same source gives the same bytes.
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { createRequire } from 'node:module';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const require = createRequire(import.meta.url);

/** @returns its version, or undefined where it is not here */
export function compilerVersion() {
  const { status, stdout } = spawnSync('mcs', ['--version'], { encoding: 'utf8' });
  return status === 0 ? /version (\S+)/.exec(stdout)?.[1] : undefined;
}

/** @returns the bytes of the assembly */
export function compileAssembly({ name, kind, sources, references = [] }) {
  const { readAssembly } = require('../dist/core/formats/assembly/index.js');
  const folder = mkdtempSync(join(tmpdir(), 'emballage-assembly-'));
  try {
    const out = join(folder, name);
    const args = ['-optimize+', '-debug-', `-target:${kind}`, `-out:${out}`, ...references.map((one) => `-r:${one}`)];
    const { status } = spawnSync('mcs', [...args, ...sources], { stdio: 'inherit' });
    if (status !== 0) throw new Error(`${name} does not compile`);
    const bytes = readFileSync(out);
    const { changing } = readAssembly(bytes);
    for (const { at, length } of changing) bytes.fill(0, at, at + length);
    const digest = createHash('sha256').update(bytes).digest();
    // The identifier of the module is the one of sixteen bytes.
    for (const { at, length } of changing) if (length === 16) digest.copy(bytes, at, 0, 16);
    return bytes;
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
