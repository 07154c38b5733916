// Compiles the runner of .NET functions, so that neither building the tool nor trying a function needs a compiler. With
// --check nothing is written: it fails when the assembly is not what the source compiles to.
import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { compileAssembly, compilerVersion } from './compile-assembly.mjs';

process.chdir(new URL('..', import.meta.url).pathname);
const target = 'src/core/languages/dotnet/run/runner.dll';
const folder = 'src/core/languages/dotnet/run/dotnet';
const MADE_WITH = '6.8.0.105';
const version = compilerVersion();
if (version === undefined) {
  console.error('no mcs on the PATH: bash scripts/toolchains.sh installs one');
  process.exitCode = 1;
} else {
  const sources = readdirSync(folder)
    .sort()
    .map((name) => join(folder, name));
  const references = ['System.dll', 'System.Core.dll'];
  const bytes = compileAssembly({ name: 'Emballage.Host.dll', kind: 'exe', sources, references });
  if (!process.argv.includes('--check')) writeFileSync(target, bytes);
  else if (version !== MADE_WITH) console.log(`not compared: mcs ${version}, where ${MADE_WITH} made ${target}`);
  else if (!readFileSync(target).equals(bytes)) {
    console.error(`${target} is not what ${folder} compiles to: run node scripts/dotnet-runner.mjs`);
    process.exitCode = 1;
  }
}
