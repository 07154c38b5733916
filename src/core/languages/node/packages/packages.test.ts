import { codeOf } from '../../../../../test/support/data';
import { placePackages } from './layout';
import { readPackageLock, type PackageLock } from './package-lock';
import { compareWithManifest, linkTarget, selectPackages, type NodeTarget } from './select';

const X64: NodeTarget = { os: 'linux', cpu: 'x64', libc: 'glibc' };

function lockOf(packages: Readonly<Record<string, object>>): PackageLock {
  const filled = Object.entries(packages).map(([key, entry]) => [key, { version: '1.0.0', ...entry }]);
  return readPackageLock(
    JSON.stringify({ lockfileVersion: 3, packages: Object.fromEntries(filled) as object }),
    'package-lock.json',
  );
}

const selected = (lock: PackageLock, from = '', target = X64): string[] =>
  [...selectPackages(lock, from, target, 'package-lock.json').keys()].filter((key) => key !== from).sort();

function placed(lock: PackageLock, from = ''): Record<string, string> {
  const chosen = selectPackages(lock, from, X64, 'package-lock.json');
  const links = new Map(
    [...chosen.values()].flatMap(({ entry }) =>
      entry.isLink ? [[entry.key, linkTarget(lock, entry, 'x').key] as const] : [],
    ),
  );
  return Object.fromEntries(placePackages(chosen, from, links).map(({ at, key }) => [at, key]));
}

describe('which packages are needed', () => {
  it('are those reached by dependencies, peers that are there, and options that fit', () => {
    const lock = lockOf({
      '': { dependencies: { a: '1' }, devDependencies: { dev: '1' } },
      'node_modules/a': {
        dependencies: { b: '1' },
        peerDependencies: { peer: '1', absent: '1' },
        optionalDependencies: { win: '1', lin: '1', gone: '1' },
      },
      'node_modules/b': { dependencies: { deep: '1' } },
      'node_modules/b/node_modules/deep': {},
      'node_modules/deep': { version: '2.0.0' },
      'node_modules/dev': { dev: true },
      'node_modules/peer': {},
      'node_modules/win': { os: ['win32'], optional: true },
      'node_modules/lin': { os: ['!darwin'], cpu: ['x64', 'arm64'], optional: true },
    });
    expect(selected(lock)).toEqual([
      'node_modules/a',
      'node_modules/b',
      'node_modules/b/node_modules/deep',
      'node_modules/lin',
      'node_modules/peer',
    ]);
  });

  it.each<[NodeTarget, string]>([
    [X64, 'gnu'],
    [{ ...X64, libc: 'musl' }, 'musl'],
    [{ ...X64, cpu: 'arm64' }, 'arm'],
  ])('are for the target: %j', (target, expected) => {
    const lock = lockOf({
      '': { optionalDependencies: { gnu: '1', musl: '1', arm: '1' } },
      'node_modules/gnu': { cpu: ['x64'], libc: ['glibc'] },
      'node_modules/musl': { cpu: ['x64'], libc: ['musl'] },
      'node_modules/arm': { cpu: ['arm64'] },
    });
    expect(selected(lock, '', target)).toEqual([`node_modules/${expected}`]);
  });

  it.each<[string, Readonly<Record<string, object>>, string]>([
    ['one that is missing', { '': { dependencies: { a: '1' } } }, 'REQUIREMENTS_INVALID'],
    [
      'one for another platform',
      { '': { dependencies: { a: '1' } }, 'node_modules/a': { os: ['darwin'] } },
      'REQUIREMENTS_IMPOSSIBLE',
    ],
    [
      'a link to nowhere',
      { '': { dependencies: { a: '1' } }, 'node_modules/a': { link: true, resolved: 'gone' } },
      'REQUIREMENTS_INVALID',
    ],
  ])('cannot do without %s', (_name, packages, code) => expect(codeOf(() => selected(lockOf(packages)))).toBe(code));
});

describe('where packages lie', () => {
  it('is where the lock has them, for a function that has a lock of its own', () => {
    const lock = lockOf({
      '': { dependencies: { a: '1', b: '1' } },
      'node_modules/a': {},
      'node_modules/b': { dependencies: { a: '2' } },
      'node_modules/b/node_modules/a': { version: '2.0.0' },
    });
    expect(Object.keys(placed(lock)).sort()).toEqual([
      'node_modules/a',
      'node_modules/b',
      'node_modules/b/node_modules/a',
    ]);
  });

  it('is below the function, for one of several that share a lock; everybody finds what they found before', () => {
    const lock = lockOf({
      '': { workspaces: ['f/one', 'shared'] },
      'f/one': { dependencies: { shared: '*', a: '2', b: '1' } },
      'f/one/node_modules/a': { version: '2.0.0' },
      'node_modules/a': { version: '1.0.0' },
      'node_modules/b': { dependencies: { a: '1', c: '1' } },
      'node_modules/c': { dependencies: { a: '1' } },
      'node_modules/shared': { link: true, resolved: 'shared' },
      shared: { dependencies: { a: '3', c: '1' } },
      'shared/node_modules/a': { version: '3.0.0' },
    });
    expect(placed(lock, 'f/one')).toEqual({
      'node_modules/a': 'f/one/node_modules/a',
      'node_modules/b': 'node_modules/b',
      'node_modules/b/node_modules/a': 'node_modules/a',
      'node_modules/c': 'node_modules/c',
      'node_modules/c/node_modules/a': 'node_modules/a',
      'node_modules/shared': 'node_modules/shared',
      'node_modules/shared/node_modules/a': 'shared/node_modules/a',
    });
  });
});

describe('a package.json against its lock', () => {
  const lock = lockOf({
    '': { dependencies: { a: '^1.0.0' } },
    'node_modules/a': { version: '1.4.0' },
    'node_modules/b': { name: 'real-b', version: '2.0.0' },
  });
  const compare = (dependencies: Readonly<Record<string, string>>): unknown => {
    const places = {
      shown: 'package.json',
      shownLock: 'package-lock.json',
      placeOf: () => ({ file: 'package.json', line: 1, column: 1 }),
    };
    return codeOf(() =>
      compareWithManifest(lock, '', { dependencies, optionalDependencies: {}, peerDependencies: {} }, places),
    );
  };

  it.each([{ a: '^1.0.0' }, { a: '>=1.2' }, { b: 'npm:real-b@^2' }, { a: 'latest' }, { a: 'https://x.example/a.tgz' }])(
    'fits: %j',
    (wanted) => {
      expect(compare(wanted as Record<string, string>)).toBeUndefined();
    },
  );

  it.each([{ a: '^2.0.0' }, { c: '*' }, { b: 'npm:real-b@^3' }])('differs: %j', (wanted) => {
    expect(compare(wanted as Record<string, string>)).toBe('REQUIREMENTS_INVALID');
  });
});
