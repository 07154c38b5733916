import { createHash } from 'node:crypto';
import { readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { INTAKE, LEVELS, pythonProject } from '../support/index';
import { holdsToBound } from '../support/bound';
import { forget, run } from '../support/program';
import { itWithPython } from '../support/python';
import { makeTar } from '../support/tar-bytes';
import { makeZip } from '../support/zip-bytes';

const ARTIFACT = 'out/intake/x86_64/intake.zip';

describe('a wheel that is not what it should be', () => {
  const DIGEST = (text: string): string => `sha256=${createHash('sha256').update(text).digest('base64url')}`;
  const wheel = (more: Readonly<Record<string, string>>, record?: string): Buffer => {
    const files: Record<string, string> = {
      'levels.py': LEVELS,
      'levels-1.0.dist-info/METADATA': 'Metadata-Version: 2.1\nName: levels\nVersion: 1.0\n',
      'levels-1.0.dist-info/WHEEL': 'Wheel-Version: 1.0\n',
      ...more,
    };
    const rows = Object.entries(files).map(([path, text]) => `${path},${DIGEST(text)},${String(text.length)}\n`);
    const all = { ...files, 'levels-1.0.dist-info/RECORD': record ?? rows.join('') };
    return makeZip(Object.entries(all).map(([name, data]) => ({ name, data })));
  };
  const projectWith = (bytes: Buffer): string =>
    pythonProject(
      { 'intake.py': INTAKE },
      { needs: ['levels'], sources: [{ folder: 'wheels' }] },
      { 'wheels/levels-1.0-py3-none-any.whl': bytes },
    );
  const buildWith = (bytes: Buffer) => {
    const root = projectWith(bytes);
    const lock = run(root, ['lock']);
    return lock.status === 0 ? run(root, ['build']) : lock;
  };

  it.each([
    [
      'a RECORD that says another digest',
      wheel(
        {},
        `levels.py,${DIGEST('x')},\nlevels-1.0.dist-info/METADATA,${DIGEST('Metadata-Version: 2.1\nName: levels\nVersion: 1.0\n')},\nlevels-1.0.dist-info/WHEEL,${DIGEST('Wheel-Version: 1.0\n')},\n`,
      ),
      'another digest than RECORD says',
    ],
    ['a file that RECORD does not list', wheel({}, ''), 'a file that RECORD does not list'],
    ['a format of the future', wheel({ 'levels-1.0.dist-info/WHEEL': 'Wheel-Version: 2.0\n' }), '`2.0`'],
    [
      'metadata of another package',
      wheel({ 'levels-1.0.dist-info/METADATA': 'Name: other\nVersion: 1.0\n' }),
      'metadata of other',
    ],
    ['a path that leaves it', wheel({ '../evil.py': '' }), 'unsafe path'],
    ['a scheme nobody knows', wheel({ 'levels-1.0.data/attic/x': '' }), 'levels-1.0.data/attic/x'],
    ['no archive at all', Buffer.from('not a wheel'), 'no zip archive'],
  ])('is refused: %s', (_what, bytes, found) => {
    const { status, stderr } = buildWith(bytes);
    expect([status, stderr.includes(found) ? found : stderr]).toEqual([2, found]);
  });

  it('is taken when it is sound, with scripts and data in their places', () => {
    const more = {
      'levels-1.0.data/scripts/tide': '#!python\nprint(1)\n',
      'levels-1.0.data/purelib/extra.py': '',
      'levels-1.0.data/data/share/x.txt': 'x',
    };
    expect(buildWith(wheel(more)).status).toBe(0);
  });

  it('is held to what the sheet lets packages unpack to', () =>
    holdsToBound(projectWith(wheel({})), 'levels-1.0-py3-none-any.whl'));
});

describe('a package that comes as source only', () => {
  const BACKEND = `import zipfile


def build_wheel(target, settings, metadata=None):
    name = "levels-1.0-TAG.whl"
    files = {
        "levels.py": "def mean(some):\\n    return 7\\n",
        "levels-1.0.dist-info/METADATA": "Metadata-Version: 2.1\\nName: levels\\nVersion: 1.0\\n",
        "levels-1.0.dist-info/WHEEL": "Wheel-Version: 1.0\\nTag: TAG\\n",
        "levels-1.0.dist-info/RECORD": "",
    }
    with zipfile.ZipFile(f"{target}/{name}", "w") as archive:
        for path, text in files.items():
            archive.writestr(path, text)
    return name
`;
  const sourceOnly = (tag: string): string => {
    const files = {
      'pyproject.toml': '[build-system]\nrequires = []\nbuild-backend = "backend"\nbackend-path = ["."]\n',
      'backend.py': BACKEND.replaceAll('TAG', tag),
    };
    const entries = Object.entries(files).map(([name, data]) => ({ name: `levels-1.0/${name}`, data }));
    return pythonProject(
      { 'intake.py': INTAKE },
      { needs: ['levels'], sources: [{ folder: 'wheels' }] },
      { 'wheels/levels-1.0.tar.gz': gzipSync(makeTar(entries)), 'e.json': '[]' },
    );
  };

  itWithPython('is built, and built again to the same bytes', () => {
    const root = sourceOnly('py3-none-any');
    expect(run(root, ['lock']).status).toBe(0);
    const built = run(root, ['build']);
    expect([
      built.status,
      run(root, ['try', 'intake', '--event', 'e.json', '--json']).stdout.includes('{\\"mean\\": 7}'),
    ]).toEqual([0, true]);
    const before = readFileSync(join(root, ARTIFACT));
    forget(root);
    rmSync(join(root, 'out'), { recursive: true });
    expect([run(root, ['build']).status, readFileSync(join(root, ARTIFACT)).equals(before)]).toEqual([0, true]);
  });

  itWithPython('is refused when what comes out is not for the target', () => {
    const { status, stderr } = run(sourceOnly('cp311-cp311-win_amd64'), ['lock']);
    expect([status, stderr.includes('a wheel for x86_64, Python 3.11'), stderr.includes('win_amd64')]).toEqual([
      2,
      true,
      true,
    ]);
  });
});
