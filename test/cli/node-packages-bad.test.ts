import { rmSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { writeTar } from '../../src/core/formats/tar';
import {
  integrityOf,
  LEVELS_MANIFEST as MANIFEST,
  LEVELS_PACKAGES,
  levelsLock,
  levelsProject,
  nodeProject,
  packageLock,
  startRegistry,
  tarball,
  type TestRegistry,
} from '../support/npm';
import { put, run } from '../support/program';

let registry: TestRegistry;
beforeAll(async () => {
  registry = await startRegistry(LEVELS_PACKAGES);
});

describe('what cannot be settled', () => {
  const refused = async (change: (root: string) => void, lock?: Record<string, object>): Promise<string> => {
    const root = await levelsProject(registry, lock);
    change(root);
    const { status, stderr } = run(root, ['lock']);
    expect([status === 2 || status === 3, run(root, ['build']).status]).toEqual([true, 2]);
    return stderr;
  };

  it.each<[string, (root: string) => void, readonly string[]]>([
    [
      'a package.json that asks for something else',
      (root) =>
        put(root, {
          'src/package.json': '{\n  "dependencies": {\n    "levels": "^3.0.0",\n    "tides": "1"\n  }\n}\n',
        }),
      [
        'src/package.json:3:5',
        '`levels` ^3.0.0 in src/package-lock.json',
        'version 2.0.0',
        'src/package.json:4:5',
        'nothing of that name',
      ],
    ],
    [
      'no lock at all',
      (root) => rmSync(join(root, 'src/package-lock.json')),
      ['beside it or above it, since it asks for levels', 'npm install --package-lock-only'],
    ],
    [
      'an old lock',
      (root) => put(root, { 'src/package-lock.json': '{"lockfileVersion":1}' }),
      ['`lockfileVersion` 2 or 3'],
    ],
    [
      'a lock that was cut off',
      (root) => put(root, { 'src/package-lock.json': '{"lockfileVersion":3,' }),
      ['text that is none: it was cut off'],
    ],
    [
      'a place outside the project',
      (root) => put(root, { 'src/package-lock.json': packageLock(MANIFEST, { '../../etc': { version: '1.0.0' } }) }),
      ['`../../etc`, a path that leaves the folder'],
    ],
    [
      'a package out of version control',
      (root) =>
        put(root, {
          'src/package-lock.json': packageLock(MANIFEST, {
            'node_modules/levels': { version: '2.0.0', resolved: 'git+ssh://git@example/x.git#1' },
          }),
        }),
      ['the address of a tarball', 'git+ssh://'],
    ],
  ])('%s', async (_name, change, result) => {
    const stderr = await refused(change);
    for (const part of result) expect(stderr).toContain(part);
  });

  it('a file that is not the one of the lock', async () => {
    const lock = await levelsLock(registry, { integrity: `sha512-${Buffer.alloc(64, 1).toString('base64')}` });
    expect(await refused(() => undefined, lock)).toContain('the file of the lock, sha512-AQEB');
  });

  it.each<[string, Buffer, string]>([
    [
      'that leave the folder',
      tarball({ 'package/package.json': '{}', 'package/../../evil.js': '1' }),
      'a path that leaves the folder',
    ],
    ['without a package.json', tarball({ 'package/index.js': '1' }), 'expected  a package.json'],
    ['that are no gzip', Buffer.from('not gzip'), 'a gzip-compressed archive'],
    [
      'that grow beyond measure',
      gzipSync(
        Buffer.concat([
          writeTar([{ path: 'package/package.json', content: Buffer.from('{}'), mode: 0o644 }], 0).subarray(0, 1024),
          Buffer.alloc(1100 * 1024 * 1024),
        ]),
        { level: 1 },
      ),
      'at most 1 GiB',
    ],
  ])('tarballs %s', (_name, bytes, result) => {
    const manifest = { dependencies: { evil: 'file:evil.tgz' } };
    const entries = {
      'node_modules/evil': { version: '1.0.0', resolved: 'file:evil.tgz', integrity: integrityOf(bytes) },
    };
    const root = nodeProject({
      'alert.mjs': "import 'evil';\nexport const decide = () => 1;\n",
      'package.json': JSON.stringify(manifest),
      'package-lock.json': packageLock(manifest, entries),
      'evil.tgz': bytes,
    });
    run(root, ['lock']);
    const { status, stderr } = run(root, ['build']);
    expect(status).toBe(2);
    expect(stderr.replace(/ +/g, ' ')).toContain(result.replace(/ +/g, ' '));
  });
});
