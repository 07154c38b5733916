import { codeOf } from '../../../../test/support/data';
import { makeTar, type RawTarEntry } from '../../../../test/support/tar-bytes';
import { sourceOfBytes } from '../byte-source';
import { listTar } from '../tar';
import { stackLayers, type ImageTree } from './tree';

const stack = (...layers: readonly (readonly RawTarEntry[])[]): ImageTree =>
  stackLayers(
    layers.map((entries) => [...listTar(sourceOfBytes(makeTar(entries)), 'layer')]),
    'image',
  );
const paths = (tree: ImageTree): string[] => [...tree.walk()].map(({ path, node }) => `${path} ${String(node.layer)}`);

describe('stacked layers', () => {
  it('let upper ones replace, add to and take away what lower ones hold', () => {
    const tree = stack(
      [
        { name: 'etc/', type: '5' },
        { name: 'etc/a', data: 'aaaa' },
        { name: 'etc/b', data: 'bb' },
        { name: 'var/log/old', data: 'old' },
        { name: 'opt/x/y', data: 'y' },
      ],
      [
        { name: 'etc/a', data: 'new' },
        { name: 'etc/.wh.b' },
        { name: 'var/log/.wh..wh..opq' },
        { name: 'var/log/new', data: 'n' },
        { name: '.wh.opt' },
      ],
    );
    expect(paths(tree)).toEqual(['etc 0', 'etc/a 1', 'var 0', 'var/log 0', 'var/log/new 1']);
    expect(tree.shadowed).toEqual([
      { path: 'etc/a', layer: 0, by: 1, size: 4 },
      { path: 'etc/b', layer: 0, by: 1, size: 2 },
      { path: 'var/log/old', layer: 0, by: 1, size: 3 },
      { path: 'opt/x/y', layer: 0, by: 1, size: 1 },
    ]);
  });

  it('keep what a layer adds beside its own whiteouts, whatever their order', () => {
    const lower = [{ name: 'd/low', data: 'x' }];
    for (const upper of [
      [{ name: 'd/.wh..wh..opq' }, { name: 'd/up', data: 'u' }],
      [{ name: 'd/up', data: 'u' }, { name: 'd/.wh..wh..opq' }],
      [{ name: 'd/', type: '5' }, { name: 'd/up', data: 'u' }, { name: '.wh.d' }],
    ])
      expect(paths(stack(lower, upper)).map((one) => one.split(' ')[0])).toEqual(['d', 'd/up']);
  });

  it('put files through links to folders, and replace folders by files', () => {
    const tree = stack(
      [
        { name: 'usr/bin/', type: '5' },
        { name: 'bin', type: '2', link: 'usr/bin' },
        { name: 'd/f', data: 'f' },
      ],
      [
        { name: 'bin/sh', data: '#!' },
        { name: 'd', data: 'file' },
      ],
    );
    expect(tree.node('usr/bin/sh')?.layer).toBe(1);
    expect(tree.node('bin')?.head.kind).toBe('link');
    expect(tree.node('d')?.head.kind).toBe('file');
  });

  it('resolve links inside, however they are written, and give up on rings', () => {
    const tree = stack([
      { name: 'usr/bin/python3.11', data: 'elf' },
      { name: 'usr/bin/python3', type: '2', link: 'python3.11' },
      { name: 'bin', type: '2', link: '/usr/bin' },
      { name: 'up', type: '2', link: '../../../../usr/bin/python3' },
      { name: 'ring', type: '2', link: 'ring' },
      { name: 'gone', type: '2', link: 'nowhere' },
    ]);
    expect(tree.resolve('/bin/python3')?.path).toBe('usr/bin/python3.11');
    expect(tree.resolve('up')?.path).toBe('usr/bin/python3.11');
    expect([tree.resolve('ring'), tree.resolve('gone'), tree.resolve('bin/x/y')]).toEqual([
      undefined,
      undefined,
      undefined,
    ]);
  });

  it('share content by hard links, also from below', () => {
    const tree = stack([{ name: 'a', data: 'shared' }], [{ name: 'b', type: '1', link: './a' }]);
    expect(tree.node('b')).toMatchObject({ head: { size: 6, path: 'b' }, layer: 0, at: tree.node('a')?.at });
  });

  it.each([
    ['paths that leave the root', { name: 'a/../../x' }],
    ['absolute paths', { name: '/x' }],
    ['hard links to nothing', { name: 'h', type: '1', link: 'nothing' }],
    ['hard links out', { name: 'h', type: '1', link: '../etc/passwd' }],
  ])('refuse %s', (_what, entry) => {
    expect(codeOf(() => stack([entry]))).toBe('IMAGE_INVALID');
  });
});
