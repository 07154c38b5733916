// Builds dist/ from src/, afresh: compiles, copies what is no TypeScript, packs the program, writes the JSON Schemas.
import { spawnSync } from 'node:child_process';
import { cpSync, existsSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { digestOf, filesBelow } from './files.mjs';
import { withLazyImports } from './lazy-imports.mjs';
import { packProgram } from './pack.mjs';
import { writePage } from './page.mjs';

process.chdir(fileURLToPath(new URL('..', import.meta.url)));
rmSync('dist', { recursive: true, force: true });
const { status } = spawnSync(process.execPath, ['node_modules/typescript/bin/tsc', '-p', 'tsconfig.build.json'], {
  stdio: 'inherit',
});
if (status !== 0) process.exit(1);
dropPrivateTypes('dist', 'dist/library/index.d.ts');
// What is no TypeScript lies where it lies in src: adapters, runners, what is started in other programs.
cpSync('src', 'dist', {
  recursive: true,
  filter: (path) => !/\.(?:ts|java|cs)$|\/(?:java|encoder|run\/dotnet)$/.test(path),
});
await writePage();
for (const path of filesBelow('dist').filter((path) => path.endsWith('.js')))
  writeFileSync(path, withLazyImports(readFileSync(path, 'utf8')));
const { pack, licences } = packProgram(process.cwd(), 'dist/cli/start.js');
writeFileSync('dist/program.pack', pack);
writeFileSync('dist/licences.txt', licences);
// What tells the code of this version from that of any other: what was built, and the packages that it uses.
writeFileSync('dist/code.txt', digestOf(['package-lock.json', ...filesBelow('dist')]).slice(0, 16));
await import('./schemas.mjs');

/** Types are published for what is public: those of the library, and what they are made of. */
function dropPrivateTypes(folder, entry) {
  const kept = new Set([entry]);
  for (const path of kept)
    for (const [, request] of readFileSync(path, 'utf8').matchAll(/from '(\.[^']+)'|import\('(\.[^']+)'\)/g)) {
      const target = join(dirname(path), request);
      const file = [`${target}.d.ts`, join(target, 'index.d.ts')].find((one) => existsSync(one));
      if (file !== undefined) kept.add(file);
    }
  for (const path of filesBelow(folder)) if (path.endsWith('.d.ts') && !kept.has(path)) rmSync(path);
}
