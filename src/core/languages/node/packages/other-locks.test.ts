import type { LockFolders } from './lock-graph';
import { readLock } from './read-lock';

const manifest = (dependencies: Record<string, string>, optionalDependencies: Record<string, string> = {}) => ({
  dependencies,
  optionalDependencies,
  peerDependencies: {},
});

const ROOT = {
  folder: '',
  name: 'tides',
  version: '1.0.0',
  manifest: manifest({ a: '^1.0.0', words: 'npm:b@^2.0.0', own: '*' }, { fast: '^1.0.0' }),
};
const OWN = { folder: 'packages/own', name: 'own', version: '3.0.0', manifest: manifest({ b: '^1.0.0' }) };
const folders = (): LockFolders => ({ all: [ROOT, OWN], named: (name) => (name === 'own' ? OWN : undefined) });

const YARN = `# yarn lockfile v1


a@^1.0.0:
  version "1.2.0"
  resolved "https://registry.example/a/-/a-1.2.0.tgz#da39a3ee5e6b4b0d3255bfef95601890afd80709"
  dependencies:
    b "^1.0.0"

b@^1.0.0:
  version "1.0.1"
  resolved "https://registry.example/b/-/b-1.0.1.tgz#00"
  integrity sha512-b1

"b@^2.0.0", "words@npm:b@^2.0.0":
  version "2.0.0"
  resolved "https://registry.example/b/-/b-2.0.0.tgz"
  integrity sha512-b2
  dependencies:
    b "^1.0.0"

fast@^1.0.0:
  version "1.0.0"
  resolved "https://registry.example/fast/-/fast-1.0.0.tgz"
  integrity sha512-f
  optionalDependencies:
    "@fast/linux" "1.0.0"

"@fast/linux@1.0.0":
  version "1.0.0"
  resolved "https://registry.example/@fast/linux/-/linux-1.0.0.tgz"
  integrity sha512-l
`;

const LATER = `__metadata:
  version: 8
  cacheKey: 10c0

"a@npm:^1.0.0":
  version: 1.2.0
  resolution: "a@npm:1.2.0"
  dependencies:
    b: "npm:^1.0.0"
  checksum: 10c0/00
  languageName: node
  linkType: hard

"b@npm:^1.0.0":
  version: 1.0.1
  resolution: "b@npm:1.0.1"
  linkType: hard

"b@npm:^2.0.0, words@npm:b@^2.0.0":
  version: 2.0.0
  resolution: "b@npm:2.0.0"
  dependencies:
    b: "npm:^1.0.0"
  linkType: hard

"fast@npm:^1.0.0":
  version: 1.0.0
  resolution: "fast@npm:1.0.0"
  dependencies:
    "@fast/linux": "npm:1.0.0"
  dependenciesMeta:
    "@fast/linux":
      optional: true
  linkType: hard

"@fast/linux@npm:1.0.0":
  version: 1.0.0
  resolution: "@fast/linux@npm:1.0.0"
  conditions: os=linux & cpu=x64 & libc=glibc
  linkType: hard

"own@workspace:packages/own":
  version: 0.0.0-use.local
  resolution: "own@workspace:packages/own"
  dependencies:
    b: "npm:^1.0.0"
  linkType: soft

"tides@workspace:.":
  version: 0.0.0-use.local
  resolution: "tides@workspace:."
  linkType: soft
`;

const PNPM = `lockfileVersion: '9.0'
importers:
  .:
    dependencies:
      a: { specifier: ^1.0.0, version: 1.2.0 }
      words: { specifier: npm:b@^2.0.0, version: b@2.0.0 }
      own: { specifier: '*', version: link:packages/own }
    optionalDependencies:
      fast: { specifier: ^1.0.0, version: 1.0.0(b@1.0.1) }
  packages/own:
    dependencies:
      b: { specifier: ^1.0.0, version: 1.0.1 }
packages:
  a@1.2.0: { resolution: { integrity: sha512-a } }
  b@1.0.1: { resolution: { integrity: sha512-b1 }, engines: { node: '>=18' } }
  b@2.0.0: { resolution: { integrity: sha512-b2 } }
  fast@1.0.0: { resolution: { integrity: sha512-f } }
  '@fast/linux@1.0.0': { resolution: { integrity: sha512-l }, os: [linux], cpu: [x64], libc: [glibc] }
snapshots:
  a@1.2.0: { dependencies: { b: 1.0.1 } }
  b@1.0.1: {}
  b@2.0.0: { dependencies: { b: 1.0.1 } }
  fast@1.0.0(b@1.0.1): { optionalDependencies: { '@fast/linux': 1.0.0 } }
  '@fast/linux@1.0.0': {}
`;

/** The same in version 6, which says all of a package in one place, under keys with a slash. */
const PNPM_6 = PNPM.replace("'9.0'", "'6.0'")
  .replace('version: b@2.0.0', 'version: /b@2.0.0')
  .replace(/^snapshots:[\s\S]*/m, '')
  .replace(/^ {2}('?)(@?[\w/]+@\d)/gm, '  $1/$2')
  .replace('/a@1.2.0: { ', '/a@1.2.0: { dependencies: { b: 1.0.1 }, ')
  .replace('/b@2.0.0: { ', '/b@2.0.0: { dependencies: { b: 1.0.1 }, ')
  .replace('/fast@1.0.0: { ', "/fast@1.0.0(b@1.0.1): { optionalDependencies: { '@fast/linux': 1.0.0 }, ");

const placesOf = (text: string, name: string, from = ''): Record<string, string> =>
  Object.fromEntries(
    [...readLock(text, name, from, folders).packages].map(([key, { name: own, version, isLink, resolved }]) => [
      key,
      isLink ? `-> ${resolved ?? ''}` : `${own} ${version}`,
    ]),
  );

const PLACES = {
  '': 'tides 1.0.0',
  'node_modules/a': 'a 1.2.0',
  'node_modules/b': 'b 1.0.1',
  'node_modules/words': 'b 2.0.0',
  'node_modules/fast': 'fast 1.0.0',
  'node_modules/@fast/linux': '@fast/linux 1.0.0',
  'node_modules/own': '-> packages/own',
  'packages/own': 'own 3.0.0',
};

describe('locks of other package managers', () => {
  it.each([
    ['yarn.lock', YARN],
    ['yarn.lock', LATER],
    ['pnpm-lock.yaml', PNPM],
    ['pnpm-lock.yaml', PNPM_6],
  ])('come to the same packages in the same places: %s', (name, text) => {
    expect(placesOf(text, name)).toEqual(PLACES);
    expect(placesOf(text, name, 'packages/own')).toEqual({ 'packages/own': 'own 3.0.0', 'node_modules/b': 'b 1.0.1' });
  });

  it('put a version that another takes the place of into the folder of the one that asks', () => {
    const text = YARN.replace('dependencies:\n    b "^1.0.0"\n\nb@', 'dependencies:\n    b "^2.0.0"\n\nb@');
    expect(placesOf(text, 'yarn.lock')).toMatchObject({
      'node_modules/b': 'b 2.0.0',
      'node_modules/b/node_modules/b': 'b 1.0.1',
      'node_modules/words/node_modules/b': 'b 1.0.1',
      'packages/own/node_modules/b': 'b 1.0.1',
    });
  });

  it('keep digests, platforms and engines as far as they say them', () => {
    const entry = (text: string, name: string, key: string) => readLock(text, name, '', folders).packages.get(key);
    expect(entry(YARN, 'yarn.lock', 'node_modules/a')).toMatchObject({
      resolved: 'https://registry.example/a/-/a-1.2.0.tgz',
      integrity: `sha1-${Buffer.from('da39a3ee5e6b4b0d3255bfef95601890afd80709', 'hex').toString('base64')}`,
    });
    const platforms = { os: ['linux'], cpu: ['x64'], libc: ['glibc'] };
    expect(entry(LATER, 'yarn.lock', 'node_modules/@fast/linux')).toMatchObject(platforms);
    expect(entry(PNPM, 'pnpm-lock.yaml', 'node_modules/@fast/linux')).toMatchObject({
      ...platforms,
      integrity: 'sha512-l',
    });
    expect(entry(PNPM, 'pnpm-lock.yaml', 'node_modules/b')?.engines).toBe('>=18');
    const facts = [YARN, LATER].map((text) => readLock(text, 'yarn.lock', '', folders));
    expect(facts.map(({ hasPlatforms, hasDigests }) => [hasPlatforms, hasDigests])).toEqual([
      [false, true],
      [true, false],
    ]);
  });

  it.each([
    ['a merge conflict', 'yarn.lock', YARN.replace('b@^1.0.0:', '<<<<<<< ours\nb@^1.0.0:'), 'yarn.lock:10:1'],
    ['a line cut off', 'yarn.lock', `${YARN}"c@^1`, 'yarn.lock:33:1'],
    ['a package without a version', 'yarn.lock', `${YARN}\nc@1:\n  resolved "x"\n`, 'yarn.lock:34:1'],
    [
      'version control',
      'yarn.lock',
      `${YARN}\nc@x:\n  version "1"\n  resolved "git+https://code.example/c.git#1"\n`,
      'yarn.lock:34:1',
    ],
    ['a format of old', 'yarn.lock', LATER.replace('version: 8', 'version: 3'), 'yarn.lock:1:1'],
    [
      'a patch',
      'yarn.lock',
      LATER.replace('"a@npm:1.2.0"', '"a@patch:a@npm%3A1.2.0#./a.patch::version=1.2.0"'),
      'yarn.lock:5:1',
    ],
    ['no YAML', 'pnpm-lock.yaml', `${PNPM}  - [`, 'pnpm-lock.yaml:25:1'],
    ['another version', 'pnpm-lock.yaml', PNPM.replace("'9.0'", '5.4'), 'pnpm-lock.yaml:1:1'],
    [
      'a patch',
      'pnpm-lock.yaml',
      `${PNPM}patchedDependencies: { a@1.2.0: { path: a.patch } }\n`,
      'pnpm-lock.yaml:25:1',
    ],
    [
      'version control',
      'pnpm-lock.yaml',
      PNPM.replace('{ integrity: sha512-a }', '{ type: git, commit: x }'),
      'pnpm-lock.yaml:14:3',
    ],
    ['aliases without end', 'pnpm-lock.yaml', `${PNPM}x: &x [1]\ny: [*x, *x]\n`, 'reading the packages: one'],
  ])('are refused by line: %s in %s', (_what, name, text, where) => {
    const facts = (): string => {
      try {
        readLock(text, name, '', folders);
        return 'read';
      } catch (error) {
        return `${(error as { facts?: { where?: string } }).facts?.where ?? ''} ${String(error)}`;
      }
    };
    expect(facts()).toContain(where);
  });
});
