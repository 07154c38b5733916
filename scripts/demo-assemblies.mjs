// Compiles the assemblies of the demo, so that it runs where no compiler is. With --check nothing is written: it fails when
// one of them is not what its source compiles to.
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { compileAssembly, compilerVersion } from './compile-assembly.mjs';

process.chdir(new URL('../demo', import.meta.url).pathname);
const TARIFF = 'fernhaven-packages/fernhaven.tariff-2.1.0';
const CHARTS = 'fernhaven-packages/fernhaven.charts-1.3.0';
const DUES = 'fernhaven-tides/functions/dues-export';
const ASSEMBLIES = [
  [`${TARIFF}/lib/netstandard2.0/Fernhaven.Tariff.dll`, `${TARIFF}/src/Tariff.cs`],
  [`${TARIFF}/lib/netstandard2.0/de/Fernhaven.Tariff.resources.dll`, `${TARIFF}/src/Words.de.cs`],
  [`${TARIFF}/runtimes/win-x64/lib/netstandard2.0/Fernhaven.Tariff.dll`, `${TARIFF}/src/Tariff.win.cs`],
  [`${CHARTS}/lib/netstandard2.0/Fernhaven.Charts.dll`, `${CHARTS}/src/Chart.cs`],
  [`${DUES}/publish/Dues.dll`, `${DUES}/Export.cs`, `${TARIFF}/lib/netstandard2.0/Fernhaven.Tariff.dll`],
];
const MADE_WITH = '6.8.0.105';
const version = compilerVersion();
const isCheck = process.argv.includes('--check');
if (version === undefined) {
  console.error('no mcs on the PATH: bash scripts/toolchains.sh installs one');
  process.exitCode = 1;
} else if (isCheck && version !== MADE_WITH) console.log(`not compared: mcs ${version}, where ${MADE_WITH} made them`);
else
  for (const [target, source, ...references] of ASSEMBLIES) {
    const name = target.slice(target.lastIndexOf('/') + 1);
    const bytes = compileAssembly({ name, kind: 'library', sources: [source], references });
    if (!isCheck) writeFileSync(target, bytes);
    else if (!existsSync(target) || !readFileSync(target).equals(bytes)) {
      console.error(`demo/${target} is not what demo/${source} compiles to: run node scripts/demo-assemblies.mjs`);
      process.exitCode = 1;
    }
  }
