import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { codeOf } from '../../../test/support/data';
import { folderWith } from '../../../test/support/program';
import { EMPTY_LOCK, formatLock, readLock, writeLock, type Lock, type LockedPackage } from './lockfile';
import { pylockOf } from '../languages/python/export-pylock';

const locked = (name: string, version: string, more: Partial<LockedPackage> = {}): LockedPackage => ({
  name,
  version,
  file: `${name}-${version}-py3-none-any.whl`,
  sha256: 'a'.repeat(64),
  size: 3,
  index: 'https://index.example/simple',
  from: `https://files.example/${name}-${version}.whl`,
  by: ['horn'],
  ...more,
});

describe('the lock', () => {
  const lock: Lock = {
    lock: 1,
    functions: {
      zeta: { inputs: '2', targets: {} },
      horn: { inputs: '1', targets: { x86_64: [locked('levels', '1.0')], arm64: [] } },
    },
  };

  it('is written in fixed order, a line for each package, and read back', () => {
    const root = folderWith({});
    writeLock(root, lock);
    expect(readLock(root)).toEqual(lock);
    const text = readFileSync(join(root, 'emballage.lock'), 'utf8');
    expect(text).toBe(formatLock(JSON.parse(text) as Lock));
    expect(text.split('\n').filter((line) => line.includes('"levels"'))).toHaveLength(1);
    expect(text.indexOf('"horn"')).toBeLessThan(text.indexOf('"zeta"'));
  });

  it('is empty where there is none', () => {
    expect(readLock(folderWith({}))).toEqual(EMPTY_LOCK);
    expect(JSON.parse(formatLock(EMPTY_LOCK))).toEqual(EMPTY_LOCK);
  });

  it('is held against its schema whenever its text is new', () => {
    const root = folderWith({});
    writeLock(root, lock);
    readLock(root);
    expect(existsSync(join(root, '.emballage/emballage.lock.sha256'))).toBe(true);
    for (const [from, to] of [
      ['"size":3', '"size":-3'],
      ['levels-1.0-py3-none-any.whl"', '../../evil.whl"'],
      ['aaaa', 'zzzz'],
      ['"lock": 1', '"lock": 1, "more": 2'],
    ] as const) {
      writeFileSync(join(root, 'emballage.lock'), formatLock(lock).replace(from, to));
      expect([to, codeOf(() => readLock(root))]).toEqual([to, 'LOCK_INVALID']);
    }
  });
});

describe('a lock for other installers', () => {
  it('says where a package is wanted only for some processors, and what is built from source', () => {
    const source = {
      file: 'old-1.tar.gz',
      sha256: 'b'.repeat(64),
      size: 9,
      from: 'https://files.example/old-1.tar.gz',
      with: [],
    };
    const text = pylockOf(
      {
        x86_64: [
          locked('fast', '1', { file: 'fast-x.whl', from: 'wheels/fast-x.whl' }),
          locked('old', '1', { from: '', source }),
        ],
        arm64: [locked('fast', '2'), locked('old', '1', { from: '', source })],
      },
      '3.11',
    );
    const lines = text.split('\n');
    expect(lines.filter((line) => line.startsWith('marker'))).toEqual([
      `marker = "platform_machine == 'x86_64'"`,
      `marker = "platform_machine == 'aarch64'"`,
    ]);
    expect(text).toContain('path = "wheels/fast-x.whl"');
    expect([text.includes('[packages.sdist]'), text.match(/old-1/g)?.length]).toEqual([true, 2]);
  });
});
