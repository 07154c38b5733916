/** What another version of the tool kept decides no byte, and its files are told apart and made anew. */
import { spawn, spawnSync } from 'node:child_process';
import { cpSync, existsSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { INTAKE, packageFiles, packageFolder, pythonProject, startTestIndex } from '../support/index';
import { LEVELS_PACKAGES, levelsProject, startRegistry } from '../support/npm';
import { ARTIFACT, environment, folderWith, forget, HORN, PROGRAM, project, put, run } from '../support/program';

const ROOT = join(__dirname, '../..');

/** Another version: one that reads modules and packages otherwise, and so keeps other things of them. */
function otherVersion(): string {
  const folder = folderWith({});
  for (const name of ['dist', 'package.json']) cpSync(join(ROOT, name), join(folder, name), { recursive: true });
  symlinkSync(join(ROOT, 'node_modules'), join(folder, 'node_modules'));
  const change = (file: string, from: string, to: string): void => {
    const path = join(folder, 'dist/core/languages', file);
    const text = readFileSync(path, 'utf8');
    expect(text).toContain(from);
    writeFileSync(path, text.replace(from, to));
  };
  change('python/trace/module-facts.js', 'function readModuleFacts(code) {', "$& code = '';");
  change(
    'node/assemble/trim-safe.js',
    'function mentionsIn(code) {',
    '$& return { tests: true, stubs: true, docs: true };',
  );
  writeFileSync(join(folder, 'dist/code.txt'), 'another-version');
  return join(folder, 'dist/cli/start.js');
}

function holdsAfterUpgrade(root: string, artifact: string): void {
  const made = (program: string): Buffer => {
    const { status } = spawnSync(process.execPath, [program, 'build'], { cwd: root, env: environment(root) });
    expect(status).toBe(0);
    return readFileSync(join(root, artifact));
  };
  expect(run(root, ['lock']).status).toBe(0);
  const fresh = made(PROGRAM);
  forget(root);
  rmSync(join(root, 'out'), { recursive: true });
  const other = made(otherVersion());
  expect(other.equals(fresh)).toBe(false);
  expect(made(PROGRAM).equals(fresh)).toBe(true);
  // And back, with both memories there.
  rmSync(join(root, 'out'), { recursive: true });
  expect(made(PROGRAM).equals(fresh)).toBe(true);
}

describe('what another version kept', () => {
  it('says nothing of Python modules', async () => {
    const modules = {
      'levels/__init__.py': 'from .parts import mean\n',
      'levels/parts.py': 'def mean(x):\n    return x\n',
    };
    const { url } = await startTestIndex(packageFolder(packageFiles('levels', '1.0', modules)));
    const keys = { needs: ['levels'], sources: [{ index: url }], trim: { traced: 'strict' } };
    holdsAfterUpgrade(pythonProject({ 'intake.py': INTAKE }, keys), 'out/intake/x86_64/intake.zip');
  });

  it('says nothing of what packages mention', async () => {
    const registry = await startRegistry(LEVELS_PACKAGES);
    holdsAfterUpgrade(await levelsProject(registry), 'out/alert/x86_64/alert.zip');
  });

  it('is a waybill of another format, which is told apart and made anew', () => {
    const root = project({ 'horn.mjs': HORN });
    expect(run(root, ['build']).status).toBe(0);
    const path = join(root, ARTIFACT.replace('.zip', '.waybill.json'));
    const waybill = readFileSync(path, 'utf8');
    writeFileSync(path, waybill.replace('"waybill": 3', '"waybill": 1'));
    const result = run(root, ['check']);
    expect([result.status, result.stderr.includes('build the function again') || result.stderr]).toEqual([2, true]);
    expect(run(root, ['build']).status).toBe(0);
    expect(readFileSync(path, 'utf8')).toBe(waybill);
    expect(run(root, ['check']).status).toBe(0);
  });

  it('is a lock of another format, whose versions stay', async () => {
    const files = ['1.0', '2.0'].map((version) =>
      packageFiles('levels', version, { 'levels/__init__.py': `V = ${version}\n` }),
    );
    const { url } = await startTestIndex(packageFolder(...files));
    const root = pythonProject({ 'intake.py': INTAKE }, { needs: ['levels'], sources: [{ index: url }] });
    expect(run(root, ['lock']).status).toBe(0);
    const lock = readFileSync(join(root, 'emballage.lock'), 'utf8');
    expect(lock).toContain('"version":"2.0"');
    put(root, { 'emballage.lock': lock.replace('"lock": 2', '"lock": 1').replaceAll('2.0', '1.0') });
    expect(run(root, ['build'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('earlier version') as string,
    });
    expect(run(root, ['lock']).status).toBe(0);
    const anew = readFileSync(join(root, 'emballage.lock'), 'utf8');
    expect([anew.includes('"lock": 2'), anew.includes('"version":"1.0"')]).toEqual([true, true]);
    expect(run(root, ['build']).status).toBe(0);
  });
});

it('two who lock at once lose nothing of each other', async () => {
  const names = ['levels', 'waves', 'tides', 'buoys'];
  const files = names.map((name) => packageFiles(name, '1.0', { [`${name}/__init__.py`]: '' }));
  const { url } = await startTestIndex(packageFolder(...files));
  const root = pythonProject({ 'intake.py': INTAKE });
  const sheet = JSON.parse(readFileSync(join(root, 'emballage.yaml'), 'utf8')) as { functions: { intake: object } };
  const functions = names.map((name) => [
    name,
    { ...sheet.functions.intake, needs: [name], sources: [{ index: url }] },
  ]);
  put(root, { 'emballage.yaml': JSON.stringify({ ...sheet, functions: Object.fromEntries(functions) as object }) });
  const locks = names.map(
    (name) =>
      new Promise((resolve) => {
        spawn(process.execPath, [PROGRAM, 'lock', name], { cwd: root, env: environment(root), stdio: 'ignore' }).on(
          'exit',
          resolve,
        );
      }),
  );
  expect(await Promise.all(locks)).toEqual([0, 0, 0, 0]);
  const lock = JSON.parse(readFileSync(join(root, 'emballage.lock'), 'utf8')) as { functions: object };
  expect(Object.keys(lock.functions)).toEqual([...names].sort());
  expect(existsSync(join(root, '.emballage/lock.lock'))).toBe(false);
});
