// Functions for .NET, for run.mjs: reading assemblies against monodis, and packing a publish folder against zip. The assemblies
// are real ones, of Mono and of the runtime that scripts/toolchains.sh installs.
import { spawnSync } from 'node:child_process';
import { copyFileSync, existsSync, mkdirSync, readdirSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { homedir } from 'node:os';
import { join } from 'node:path';

const RUNTIME = join(
  process.env.EMBALLAGE_DOTNET ?? join(homedir(), '.cache/emballage-dotnet'),
  'dotnetcore2/bin/shared/Microsoft.NETCore.App/3.1.23',
);
const MONO = '/usr/lib/mono/4.5';
const READ = `
const { readAssembly } = require(process.argv[1]);
const { readFileSync, readdirSync } = require('node:fs');
let references = 0;
for (const name of readdirSync(process.argv[2])) references += readAssembly(readFileSync(process.argv[2] + '/' + name))?.references.length ?? 0;
if (references === 0) process.exitCode = 1;
`;

function sized(folder, most, bytes) {
  const files = [RUNTIME, MONO]
    .filter((one) => existsSync(one))
    .flatMap((one) => readdirSync(one).map((name) => join(one, name)))
    .filter((path) => /\.dll$/.test(path) && statSync(path).isFile());
  let total = 0;
  let made = 0;
  for (let round = 0; made < most && total < bytes && files.length > 0; round++)
    for (const path of files) {
      if (made >= most || total >= bytes) break;
      copyFileSync(path, join(folder, `${round}-${made}.dll`));
      total += statSync(path).size;
      made += 1;
    }
  return { made, total };
}

export function measureAssemblies({ base, program, env, byTurns, time, report }) {
  if (spawnSync('monodis', ['--help']).error !== undefined || !existsSync(RUNTIME)) {
    console.log('left out: assemblies of .NET; bash scripts/toolchains.sh installs monodis and a runtime');
    return;
  }
  const folder = join(base, 'assemblies');
  mkdirSync(folder);
  const { made, total } = sized(folder, 500, 100_000_000);
  const assembly = join(program, '../../dist/core/formats/assembly/index.js');
  const [ours, other] = byTurns(3, [
    () => time(base, process.execPath, ['-e', READ, assembly, folder]),
    () => {
      const begun = performance.now();
      for (const name of readdirSync(folder)) spawnSync('monodis', ['--assembly', join(folder, name)], { env: env() });
      return performance.now() - begun;
    },
  ]);
  report(`reading ${made} assemblies (${Math.round(total / 1e6)} MB), against monodis --assembly`, ours, other, 2);
  measurePublished({ base, program, byTurns, time, report });
}

function measurePublished({ base, program, byTurns, time, report }) {
  const root = join(base, 'published');
  const folder = join(root, 'dues');
  mkdirSync(folder, { recursive: true });
  for (const part of ['', 'more'])
    for (const name of readdirSync(RUNTIME)) {
      mkdirSync(join(folder, part), { recursive: true });
      copyFileSync(join(RUNTIME, name), join(folder, part, name));
    }
  const framework = { name: 'Microsoft.NETCore.App', version: '3.1.23' };
  writeFileSync(
    join(folder, 'Dues.runtimeconfig.json'),
    JSON.stringify({ runtimeOptions: { includedFrameworks: [framework] } }),
  );
  copyFileSync(join(RUNTIME, 'System.Console.dll'), join(folder, 'Dues.dll'));
  writeFileSync(
    join(root, 'emballage.yaml'),
    'project: dues\ndestinations: { d: d.yaml }\nfunctions:\n  dues: { source: dues, runtime: dotnet 3, entry: "Dues.dll#A.B", artifact: zip, arch: [x86_64], destination: d, trim: off }\n',
  );
  writeFileSync(
    join(root, 'd.yaml'),
    'destination: d\narch: [x86_64]\naccepts: { zip: {} }\nruntimes: { dotnet 3: {} }\n',
  );
  const [ours, other] = byTurns(3, [
    () => {
      for (const name of ['.emballage', 'out']) rmSync(join(root, name), { recursive: true, force: true });
      return time(root, process.execPath, [program, 'build', '--quiet']);
    },
    () => {
      rmSync(join(base, 'published.zip'), { force: true });
      return time(root, 'zip', ['-r', '-X', '-q', '-6', join(base, 'published.zip'), 'dues']);
    },
  ]);
  const bytes = (path) => statSync(path).size;
  const ratio = bytes(join(root, 'out/dues/x86_64/dues.zip')) / bytes(join(base, 'published.zip'));
  report(`zip of a published framework (its size: ${ratio.toFixed(3)}), against zip -6`, ours, other, 0.8);
}
