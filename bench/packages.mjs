// Packages of others: real JARs merged, real wheels settled.
import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { base, byTurns, env, program, project, report, reportMemory, run, time } from './tools.mjs';

/**
 * Some sixty real JARs, merged with one package moved, against unpacking them all and packing what comes of it with the JDK's
 * own tool. They are fetched once; a folder of JARs that is there already is named with EMBALLAGE_BENCH_JARS.
 */
export function jars() {
  const folder = process.env.EMBALLAGE_BENCH_JARS;
  if (folder === undefined || spawnSync('jar', ['--version']).status !== 0) {
    console.error('left out: JARs. Name a folder of some sixty with EMBALLAGE_BENCH_JARS, and have a JDK');
    return;
  }
  const names = readdirSync(folder)
    .filter((name) => name.endsWith('.jar'))
    .sort();
  const jarProject = (name, more) => {
    const keys = { runtime: 'java 17', entry: 'bench.Main#run', artifact: 'jar', ...more };
    const made = project(name, 1, { ...keys, relocate: { 'org.slf4j': 'bench.slf4j' } });
    const source = join(made, 'functions/f0');
    mkdirSync(source, { recursive: true });
    for (const one of names) writeFileSync(join(source, one), readFileSync(join(folder, one)));
    return made;
  };
  const root = jarProject('jars', {});
  const traced = jarProject('traced-jars', { trim: 'traced', keep: ['**/*Factory.class'] });
  const source = join(root, 'functions/f0');
  writeFileSync(join(source, 'edit.txt'), '0');
  const state = join(root, '.emballage');
  const build = () => time(root, process.execPath, [program, 'build', '--quiet']);
  let edits = 0;
  const [cold, small, warm, plain] = byTurns(3, [
    () => (rmSync(state, { recursive: true, force: true }), build()),
    () => {
      rmSync(join(traced, '.emballage'), { recursive: true, force: true });
      return time(traced, process.execPath, [program, 'build', '--quiet']);
    },
    () => (writeFileSync(join(source, 'edit.txt'), String((edits += 1))), build()),
    () => {
      const open = join(base, 'jars-open');
      rmSync(open, { recursive: true, force: true });
      mkdirSync(open, { recursive: true });
      const unpacked = names.reduce((sum, name) => sum + time(open, 'jar', ['xf', join(folder, name)]), 0);
      return unpacked + time(open, 'jar', ['cf', join(base, 'other.jar'), '.']);
    },
  ]);
  report(`merge ${names.length} JARs with a package moved, cold, against jar xf and jar cf`, cold, plain, 0.4);
  report('  and traced from every factory, cold, against the same', small, plain, 2);
  report('  warm with one changed file, against cold', warm, cold, 0.25);
  rmSync(state, { recursive: true, force: true });
  reportMemory('  memory', root, [program, 'build', '--quiet'], 700);
}

/** Some forty real wheels, fetched once; settling and unpacking them against the installer of Python itself. */
export function wheels() {
  const folder = process.env.EMBALLAGE_BENCH_WHEELS ?? join(base, 'wheels');
  const wanted = [
    'fastapi[standard]',
    'pandas',
    'sqlalchemy',
    'jinja2',
    'cryptography',
    'pillow',
    'rich',
    'requests',
    'aiohttp',
  ];
  const pip = (...args) => ['python3', ['-m', 'pip', '--disable-pip-version-check', '-q', ...args]];
  if (process.env.EMBALLAGE_BENCH_WHEELS === undefined) {
    const [command, args] = pip('download', '--only-binary', ':all:', '-d', folder, ...wanted);
    const { status } = spawnSync(command, args, { stdio: 'ignore', env: process.env });
    if (status !== 0) {
      console.error('left out: wheels. They could not be fetched; name a folder of them with EMBALLAGE_BENCH_WHEELS');
      return;
    }
  }
  const version = spawnSync('python3', ['-c', 'import sys; print("%d.%d" % sys.version_info[:2])'], {
    encoding: 'utf8',
  }).stdout.trim();
  const root = join(base, 'python');
  mkdirSync(join(root, 'f'), { recursive: true });
  spawnSync('cp', ['-r', folder, join(root, 'wheels')]);
  writeFileSync(join(root, 'f/a.py'), '');
  writeFileSync(join(root, 'emballage.yaml'), sheetOf(version, wanted));
  writeFileSync(join(root, 'd.yaml'), destinationOf(version));
  const settle = fileURLToPath(new URL('settle.mjs', import.meta.url));
  const ours = () => time(root, process.execPath, [settle, root]);
  // Put aside: where thousands of files have just been removed, a file system may be slow at making new ones.
  let serial = 0;
  const forget = () =>
    ['.emballage', 'emballage.lock']
      .filter((name) => existsSync(join(root, name)))
      .forEach((name) => renameSync(join(root, name), join(base, `aside-${(serial += 1)}`)));
  const other = () => {
    const target = join(base, `target-${(serial += 1)}`);
    const [command, args] = pip(
      'install',
      '--no-index',
      '--find-links',
      join(root, 'wheels'),
      '--target',
      target,
      ...wanted,
    );
    return time(root, command, args);
  };
  const [cold, pipMs, warm] = byTurns(3, [() => (forget(), ours()), other, ours]);
  report('settle and unpack some 40 wheels, cold, against pip install', cold, pipMs, 0.15);
  report('  the same with a warm store', warm, pipMs, 0.15);
  forget();
  reportMemory('  memory', root, [settle, root], 300);
}

/** A project whose function needs so many wheels of made-up packages, of 200 modules each. */
export function syntheticWheels(wheels) {
  const root = join(base, `synthetic-${wheels}`);
  mkdirSync(join(root, 'wheels'), { recursive: true });
  const script = `
import base64, hashlib, sys, zipfile
for i in range(${wheels}):
    name, record = f"tide{i}", []
    info = f"{name}-1.0.dist-info"
    needs = f"Requires-Dist: tide{i + 1}>=1\\n" if i + 1 < ${wheels} else ""
    files = {f"{name}/m{k}.py": f"LEVEL = {k * i}\\n" * 40 for k in range(200)}
    files[f"{info}/METADATA"] = f"Metadata-Version: 2.1\\nName: {name}\\nVersion: 1.0\\n{needs}"
    files[f"{info}/WHEEL"] = "Wheel-Version: 1.0\\nRoot-Is-Purelib: true\\nTag: py3-none-any\\n"
    with zipfile.ZipFile(f"wheels/{name}-1.0-py3-none-any.whl", "w", zipfile.ZIP_DEFLATED) as out:
        for path, text in files.items():
            digest = base64.urlsafe_b64encode(hashlib.sha256(text.encode()).digest()).rstrip(b"=").decode()
            record.append(f"{path},sha256={digest},{len(text)}")
            out.writestr(path, text)
        out.writestr(f"{info}/RECORD", "\\n".join([*record, f"{info}/RECORD,,"]) + "\\n")
`;
  run(root, 'python3', ['-c', script]);
  mkdirSync(join(root, 'f'));
  writeFileSync(join(root, 'f/a.py'), '');
  writeFileSync(join(root, 'emballage.yaml'), sheetOf('3.11', ['tide0']));
  writeFileSync(join(root, 'd.yaml'), destinationOf('3.11'));
  return root;
}

function sheetOf(version, needs) {
  const place = { source: 'f', entry: 'a.py#f', artifact: 'zip', arch: ['x86_64'], destination: 'd' };
  const spec = { ...place, runtime: `python ${version}`, needs, sources: [{ folder: 'wheels' }] };
  return JSON.stringify({ project: 'bench', destinations: { d: 'd.yaml' }, functions: { f: spec } });
}

function destinationOf(version) {
  return `destination: d\narch: [x86_64]\naccepts: { zip: {} }\nruntimes: { python ${version}: { glibc: "2.36" } }\n`;
}
