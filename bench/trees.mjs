// Packing what is really packed: installed trees, pictures and archives, class files, text that programs write. Each against
// `zip -6` on the same files, in time and size. Trees that are not on this machine are named as left out.
import { spawnSync } from 'node:child_process';
import { cpSync, existsSync, mkdirSync, readdirSync, rmSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import {
  base,
  byTurns,
  filesBelow,
  noise,
  program,
  project,
  put,
  report,
  rows,
  text,
  time,
  verdict,
} from './tools.mjs';

const here = (path) => fileURLToPath(new URL(path, import.meta.url));
/** More than that of a tree says nothing more. */
const MOST_BYTES = 120e6;

const TREES = {
  // Without sources of TypeScript, which would be compiled: here only packing is measured.
  'an installed npm tree': (folder) => copied(here('../node_modules'), folder, (path) => !/\.[mc]?tsx?$/.test(path)),
  'an installed Python tree with compiled modules': (folder) =>
    pythonTrees().some((tree) => copied(tree, folder, (path) => !path.endsWith('.pyc'))),
  'pictures and archives': (folder) =>
    copied(here('../docs/screenshots'), join(folder, 'pictures'), () => true) &&
    ['/usr/share', '/usr/lib'].some((tree) =>
      copied(tree, join(folder, 'archives'), (path) => /\.(?:png|jpe?g|gz|xz|zip|jar|whl|woff2?)$/.test(path)),
    ),
  'class files': (folder) => classFiles(folder),
  'text that programs write': (folder) => {
    for (let i = 0; i < 60; i++) {
      put(join(folder, `tides-${i}.json`), JSON.stringify(rowsOfTides(i)));
      put(
        join(folder, `tides-${i}.csv`),
        rowsOfTides(i + 100)
          .map((row) => Object.values(row).join(';'))
          .join('\n'),
      );
      put(join(folder, `log-${i}.txt`), text(i, 300_000));
    }
    return true;
  },
};

export function trees() {
  for (const [what, make] of Object.entries(TREES)) {
    const root = project(`tree-${what.replaceAll(/\W+/g, '-')}`, 1);
    const folder = join(root, 'functions/f0');
    mkdirSync(folder, { recursive: true });
    put(join(folder, 'a.mjs'), 'export const run = () => 0;\n');
    if (!make(folder)) {
      console.error(`left out: ${what}. There is none on this machine`);
      continue;
    }
    const other = join(base, 'tree.zip');
    const [ours, zip] = byTurns(3, [
      () => {
        for (const name of ['out', '.emballage']) rmSync(join(root, name), { recursive: true, force: true });
        return time(root, process.execPath, [program, 'build', '--quiet']);
      },
      () => (rmSync(other, { force: true }), time(folder, 'zip', ['-r', '-X', '-q', '-6', '-D', other, '.'])),
    ]);
    const files = filesBelow(folder);
    const mb = Math.round(files.reduce((sum, path) => sum + statSync(path).size, 0) / 1e6);
    report(`${what}, ${files.length} files, ${mb} MB, against zip -6`, ours, zip, 0.6);
    const [own, its] = [join(root, 'out/f0/arm64/f0.zip'), other].map((path) => statSync(path).size);
    rows.push(['  its size', `${own} B`, `${its} B`, (own / its).toFixed(3), '1.01', verdict(own / its, 1.01)]);
    rmSync(root, { recursive: true, force: true });
  }
}

/** Copies plain files until there are enough; what the tool leaves out by itself is left out here. */
function copied(from, to, isWanted) {
  if (!existsSync(from)) return false;
  let bytes = 0;
  const walk = (folder) => {
    for (const one of readdirSync(folder, { withFileTypes: true })) {
      const path = join(folder, one.name);
      if (bytes > MOST_BYTES) return;
      if (one.isDirectory() && !/^(?:\.|__pycache__$)/.test(one.name)) walk(path);
      if (!one.isFile() || one.name.startsWith('.') || !isWanted(path)) continue;
      bytes += statSync(path).size;
      // Under a name that no rule knows, as a tree that was put there on purpose.
      const below = path.slice(from.length).replaceAll('node_modules', 'modules').replaceAll('.dist-info', '-info');
      mkdirSync(join(to, below, '..'), { recursive: true });
      cpSync(path, join(to, below));
    }
  };
  walk(from);
  return bytes > 1e6;
}

function pythonTrees() {
  const asked = spawnSync('python3', [
    '-c',
    'import sys; print("\\n".join(p for p in sys.path if p.endswith("packages")))',
  ]);
  return [process.env.EMBALLAGE_BENCH_PYTHON ?? '', ...String(asked.stdout).trim().split('\n')].filter(
    (path) => path !== '',
  );
}

/** The classes of the JDK’s own modules. */
function classFiles(folder) {
  const home = spawnSync('sh', ['-c', 'dirname "$(dirname "$(readlink -f "$(command -v javac)")")"'], {
    encoding: 'utf8',
  });
  const jmods = join(home.stdout.trim(), 'jmods');
  if (!existsSync(jmods)) return false;
  const into = join(base, 'jmod');
  mkdirSync(into, { recursive: true });
  for (const name of ['java.base', 'java.desktop', 'java.xml'])
    spawnSync(join(home.stdout.trim(), 'bin/jmod'), [
      'extract',
      '--dir',
      join(into, name),
      join(jmods, `${name}.jmod`),
    ]);
  return copied(into, folder, (path) => path.endsWith('.class'));
}

function rowsOfTides(seed) {
  const bytes = noise(seed + 1, 9000);
  return Array.from({ length: 3000 }, (_, i) => ({
    gauge: `fernhaven-${(seed + i) % 17}`,
    at: new Date(1.7e12 + (seed * 3000 + i) * 600_000).toISOString(),
    level: ((bytes[3 * i] ?? 0) * 256 + (bytes[3 * i + 1] ?? 0)) / 10_000,
    surge: (bytes[3 * i + 2] ?? 0) > 240,
  }));
}
