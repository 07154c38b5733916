import { chmodSync, readdirSync, readFileSync, renameSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { folderWith } from '../../../../test/support/program';
import type { WalkedItem } from '../../disk/walk';
import { surveySource } from '../../fileset/collect';
import { StatIndex, writeStatIndex, type TargetRecord } from './stat-index';
import { fileDigest } from '../../disk/digest';
import { Store } from '../../forms/packing';

const stamp = (n: number) => ({ size: n, mtimeMs: 1000.25 + n, ctimeMs: 1000.25 + n, ino: n });
const item = (path: string, n: number): WalkedItem => ({
  path,
  kind: 'file',
  mode: 0o100644,
  stamp: stamp(n),
  source: `/${path}`,
});
const record: TargetRecord = {
  sha256: 'ab',
  size: 1,
  unpacked: 2,
  files: 1,
  trimmed: 0,
  artifact: stamp(1),
  waybill: stamp(2),
};
const texts = { config: 'c', common: 'd', watched: [] };
const digest = (char: string): string => char.repeat(64);

describe('the stat index', () => {
  const items = [item('a', 1), item('b/ü', 2), { ...item('link', 3), kind: 'link' as const, target: 'a' }];
  const digests = new Map([
    ['a', digest('1')],
    ['b/ü', digest('2')],
  ]);
  const written = (lookedAtMs = 9e9): StatIndex => {
    const path = join(folderWith({}), 'horn.index');
    const survey = { items, folders: [], hasLinks: true };
    writeStatIndex(path, { ...texts, targets: { arm64: record }, survey, leftOut: [], digests, lookedAtMs });
    const index = StatIndex.read(path);
    if (index === undefined) throw new Error('the index cannot be read');
    return index;
  };

  it('remembers what it was given', () => {
    const index = written();
    expect([index.config, index.common, index.targets, index.matches(items)]).toEqual([
      'c',
      'd',
      { arm64: record },
      true,
    ]);
    expect(index.knownDigests(items)).toEqual(digests);
  });

  it('sees whatever has changed', () => {
    const index = written();
    const [a, b, link] = items as [WalkedItem, WalkedItem, WalkedItem];
    for (const changed of [
      [a, b],
      [b, a, link],
      [a, { ...b, path: 'b/u' }, link],
      [a, { ...b, mode: 0o100755 }, link],
      [a, b, { ...link, target: 'b' }],
      [a, item('b/ü', 3), link],
    ])
      expect(index.matches(changed)).toBe(false);
    expect(index.knownDigests([item('a', 9), b])).toEqual(new Map([['b/ü', digest('2')]]));
  });

  it('does not trust files that were as new as the look at them', () => {
    const index = written(1002);
    expect(index.matches(items)).toBe(false);
    expect(index.knownDigests(items).size).toBe(0);
  });

  it('tells without listing a folder whether anything in it has changed', () => {
    const write = (root: string, lookedAtMs = Date.now() + 60_000): StatIndex | undefined => {
      const survey = surveySource({
        projectRoot: root,
        source: 'src',
        entryFile: 'a',
        leaveOut: ['*.log'],
        keep: [],
        include: [],
        links: 'follow',
        emptyFolders: false,
        skip: undefined,
      });
      const path = join(root, 'horn.index');
      writeStatIndex(path, { ...texts, targets: {}, survey, leftOut: survey.leftOut, digests, lookedAtMs });
      return StatIndex.read(path);
    };
    const changes: [string, (src: string) => void, boolean][] = [
      ['nothing', () => undefined, true],
      ['content', (src) => writeFileSync(join(src, 'a'), 'B'), false],
      ['mode', (src) => chmodSync(join(src, 'a'), 0o755), false],
      ['a new file', (src) => writeFileSync(join(src, 'deep/new'), ''), false],
      ['a file gone', (src) => rmSync(join(src, 'deep/er/b')), false],
      [
        'a file replaced',
        (src) => {
          writeFileSync(join(src, 'n'), 'a');
          renameSync(join(src, 'n'), join(src, 'a'));
        },
        false,
      ],
      ['a left-out file written to', (src) => writeFileSync(join(src, 'run.log'), 'more'), true],
    ];
    for (const [what, change, same] of changes) {
      const root = folderWith({ 'src/a': 'A', 'src/deep/er/b': 'b', 'src/run.log': '' });
      const index = write(root);
      change(join(root, 'src'));
      expect([what, index?.standsAsItDid(join(root, 'src'))]).toEqual([what, same]);
    }
    const root = folderWith({ 'src/a': 'A' });
    expect(write(root, Date.now())?.standsAsItDid(join(root, 'src'))).toBe(false);
    symlinkSync('a', join(root, 'src/link'));
    expect(write(root)?.standsAsItDid(join(root, 'src'))).toBe(false);
  });

  it('is nothing where its file is damaged', () => {
    const root = folderWith({ empty: '', text: 'not an index\n', short: '{"config":"c","targets":{},"items":99}\n' });
    for (const name of ['empty', 'text', 'short', 'gone']) expect(StatIndex.read(join(root, name))).toBeUndefined();
  });
});

describe('the store', () => {
  const filled = (keys: readonly string[]) => {
    const folder = join(folderWith({}), 'store');
    const store = new Store(folder);
    for (const key of keys) {
      const sink = store.begin();
      sink.append(Buffer.from(`artifact ${key}`));
      store.keep(key, sink, { sha256: sink.close(), size: 9 + key.length, unpacked: 1 });
    }
    return { folder, store };
  };

  it('leaves nothing behind when what it puts in place is there already', () => {
    const { folder, store } = filled(['k']);
    const target = join(folder, '../out/horn.zip');
    store.place('k', target);
    store.place('k', target);
    expect(readdirSync(join(folder, '../out'))).toEqual(['horn.zip']);
  });

  it('gives back what it took in, under any name', () => {
    const { folder, store } = filled(['k']);
    expect(store.find('k')).toMatchObject({ size: 10, sha256: fileDigest(join(folder, 'k')) });
    const target = join(folder, '../out/deep/k.zip');
    store.place('k', target);
    expect(readFileSync(target, 'utf8')).toBe('artifact k');
    expect(store.find('other')).toBeUndefined();
  });

  it('throws away what is damaged', () => {
    const { folder, store } = filled(['k']);
    writeFileSync(join(folder, 'k'), 'something else');
    expect(store.find('k')).toBeUndefined();
    expect(readdirSync(folder)).toEqual([]);
  });

  it('hashes what was patched as it ends up', () => {
    const { store } = filled([]);
    const sink = store.begin();
    sink.append(Buffer.from('head '));
    sink.hold();
    sink.append(Buffer.from('???? '));
    sink.append(Buffer.alloc(300_000, 46));
    sink.patch(5, Buffer.from('body'));
    sink.release();
    sink.append(Buffer.from(' end'));
    const sha256 = sink.close();
    store.keep('k', sink, { sha256, size: 0, unpacked: 0 });
    expect(store.find('k')?.sha256).toBe(sha256);
  });
});
