import { codeOf } from '../../../../test/support/data';
import { makeTar } from '../../../../test/support/tar-bytes';
import { readTar } from './';

const listed = (bytes: Uint8Array) =>
  [...readTar(bytes, 'a.tar')].map(({ path, kind, target, bytes: content }) => [
    path,
    kind,
    target ?? Buffer.from(content).toString(),
  ]);
const pax = (key: string, value: string): string => {
  const body = ` ${key}=${value}\n`;
  const length = [2, 3, 4].map((digits) => body.length + digits).find((n, i) => String(n).length === i + 2) ?? 0;
  return `${String(length)}${body}`;
};

describe('the tar reader', () => {
  it('reads files, folders and links, and long names of both kinds', () => {
    const long = `${'d/'.repeat(80)}file`;
    const bytes = makeTar([
      { name: './a/', type: '5' },
      { name: 'a/b.txt', data: 'hello' },
      { name: 'a/l', type: '2', link: 'b.txt' },
      { name: 'a/h', type: '1', link: 'a/b.txt' },
      { name: 'x', type: 'x', data: pax('path', long) },
      { name: 'short', data: 'pax' },
      { name: '././@LongLink', type: 'L', data: `${long}2\0` },
      { name: 'short', data: 'gnu' },
      { name: 'g', type: 'g', data: pax('comment', 'c'.repeat(50)) },
      { name: 'last' },
    ]);
    expect(listed(bytes)).toEqual([
      ['a', 'folder', ''],
      ['a/b.txt', 'file', 'hello'],
      ['a/l', 'link', 'b.txt'],
      ['a/h', 'hard-link', 'a/b.txt'],
      [long, 'file', 'pax'],
      [`${long}2`, 'file', 'gnu'],
      ['last', 'file', ''],
    ]);
  });

  it.each([
    ['a path that leaves it', makeTar([{ name: '../x' }])],
    ['an absolute path', makeTar([{ name: '/x' }])],
    ['a link out', makeTar([{ name: 'l', type: '2', link: '../../x' }])],
    ['a hard link out', makeTar([{ name: 'l', type: '1', link: '/etc/passwd' }])],
    ['a device', makeTar([{ name: 'd', type: '3' }])],
    ['a size beyond its end', makeTar([{ name: 'x', size: 1e9 }])],
    ['no archive', Buffer.alloc(600, 'x')],
    ['an extended header without end', makeTar([{ name: 'x', type: 'x', data: Buffer.alloc(2 << 20) }])],
  ])('refuses %s', (_what, bytes) => {
    expect(codeOf(() => listed(bytes))).toBe('PACKAGE_INVALID');
  });

  it('gives something or refuses, whatever stands in a header', () => {
    const good = makeTar([{ name: 'a/b', data: 'x'.repeat(600) }]);
    for (let at = 0; at < 512; at += 3) {
      const bytes = Buffer.from(good);
      bytes[at] = (bytes[at] ?? 0) ^ 0x55;
      expect(codeOf(() => listed(bytes))).toBe('PACKAGE_INVALID');
    }
  });
});
