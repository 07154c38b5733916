import { codeFrom } from '../../../../test/support/data';
import { makeTar } from '../../../../test/support/tar-bytes';
import { streamTar } from './';

// eslint-disable-next-line @typescript-eslint/require-await
async function* inPieces(bytes: Uint8Array, length: number): AsyncGenerator<Uint8Array> {
  for (let at = 0; at < bytes.length; at += length) yield bytes.subarray(at, at + length);
}

const read = async (bytes: Uint8Array, length: number, takes: (path: string) => boolean): Promise<string[]> => {
  const found: string[] = [];
  for await (const { head, content } of streamTar(inPieces(bytes, length), 'a.tar')) {
    let size = 0;
    if (takes(head.path)) for await (const part of content) size += part.length;
    found.push(`${head.kind} ${head.path} ${String(size)}`);
  }
  return found;
};

describe('a tar archive in pieces', () => {
  const long = `${'d/'.repeat(80)}file`;
  const bytes = makeTar([
    { name: 'a/', type: '5' },
    { name: 'a/b', data: 'x'.repeat(1500) },
    { name: 'n', type: 'L', data: `${long}\0` },
    { name: 'n', data: Buffer.alloc(70_000) },
    { name: 'a/l', type: '2', link: '/b' },
    { name: 'dev/null', type: '3' },
  ]);

  it.each([1, 7, 512, 513, 100_000])('of %d bytes reads as it would whole', async (length) => {
    expect(await read(bytes, length, () => true)).toEqual([
      'folder a 0',
      'file a/b 1500',
      `file ${long} 70000`,
      'link a/l 0',
      'char-device dev/null 0',
    ]);
  });

  it('passes over what is not taken', async () => {
    expect(await read(bytes, 1000, (path) => path === long)).toContain(`file ${long} 70000`);
  });

  it.each([600, 2000, 4000, 70_000])('is refused when it ends after %d bytes', async (length) => {
    expect(await codeFrom(read(bytes.subarray(0, length), 777, () => false))).toBe('PACKAGE_INVALID');
  });

  it.each([
    ['GNU tar’s kind', makeTar([{ name: 's', type: 'S', data: 'x' }])],
    [
      'pax’s kind',
      makeTar([
        { name: 'p', type: 'x', data: '22 GNU.sparse.major=1\n' },
        { name: 's', data: 'x' },
      ]),
    ],
    ['records that are none', makeTar([{ name: 'p', type: 'x', data: 'path=a' }, { name: 's' }])],
  ])('is refused with sparse files of %s', async (_what, wrong) => {
    expect(await codeFrom(read(wrong, 512, () => false))).toBe('PACKAGE_INVALID');
  });
});
