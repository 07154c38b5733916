import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { codeFrom } from '../../../../test/support/data';
import { folderWith } from '../../../../test/support/program';
import { KNOWN } from '../../known';
import { pylockOf } from '../../languages/python/locks/export-pylock';
import { EMPTY_LOCK, formatLock, readLock, writeLock, type Lock, type LockedPackage, type LockPlace } from './lockfile';
import { StateFolder } from '../state/state';

function placeIn(root: string): LockPlace {
  const state = new StateFolder({ root, code: 'test', caches: root, now: () => 0 });
  return { root, files: ['emballage.yaml'], languages: KNOWN, state };
}

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
    lock: 2,
    functions: {
      zeta: { inputs: '2', targets: {} },
      horn: { inputs: '1', targets: { x86_64: [locked('levels', '1.0')], arm64: [] } },
    },
  };

  it('is written in fixed order, a line for each package, and read back', async () => {
    const place = placeIn(folderWith({}));
    writeLock(place, lock);
    expect(await readLock(place)).toEqual(lock);
    const text = readFileSync(join(place.root, 'emballage.lock'), 'utf8');
    expect(text).toBe(formatLock(JSON.parse(text) as Lock));
    expect(text.split('\n').filter((line) => line.includes('"levels"'))).toHaveLength(1);
    expect(text.indexOf('"horn"')).toBeLessThan(text.indexOf('"zeta"'));
  });

  it('is empty where there is none', async () => {
    expect(await readLock(placeIn(folderWith({})))).toEqual(EMPTY_LOCK);
    expect(JSON.parse(formatLock(EMPTY_LOCK))).toEqual(EMPTY_LOCK);
  });

  it('is held against its schema whenever its text is new', async () => {
    const place = placeIn(folderWith({}));
    writeLock(place, lock);
    await readLock(place);
    for (const [from, to] of [
      ['"size":3', '"size":-3'],
      ['levels-1.0-py3-none-any.whl"', '../../evil.whl"'],
      ['aaaa', 'zzzz'],
      ['"lock": 2', '"lock": 2, "more": 2'],
    ] as const) {
      writeFileSync(join(place.root, 'emballage.lock'), formatLock(lock).replace(from, to));
      expect([to, await codeFrom(readLock(place))]).toEqual([to, 'LOCK_INVALID']);
    }
  });

  it('of an earlier format is told apart, and read only for its versions', async () => {
    const place = placeIn(folderWith({}));
    const earlier = { name: 'levels', version: '1.0', index: 'x', from: 'x', file: 'x', sha256: 'a', size: 1, by: [] };
    const functions = { horn: { inputs: 'old', targets: { x86_64: [earlier] } } };
    writeFileSync(join(place.root, 'emballage.lock'), JSON.stringify({ lock: 1, functions }));
    expect(await codeFrom(readLock(place))).toBe('LOCK_OUTDATED');
    expect((await readLock(place, true)).functions.horn?.targets).toMatchObject({ x86_64: [{ version: '1.0' }] });
    writeFileSync(join(place.root, 'emballage.lock'), JSON.stringify({ lock: 3, functions }));
    expect(await codeFrom(readLock(place, true))).toBe('LOCK_INVALID');
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
          locked('old', '1', { from: '', python: { source } }),
        ],
        arm64: [locked('fast', '2'), locked('old', '1', { from: '', python: { source } })],
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
