import { withFields } from '../../../../test/support/errors';
import { makeZip, memorySource, type RawEntry } from '../../../../test/support/zip-bytes';
import { noise } from '../../../../test/support/data';
import { entryChunks, openZip, readEntry } from './';

const codes = (entries: readonly RawEntry[]): string[] =>
  openZip(memorySource(makeZip(entries)), 'x.zip').faults.map((fault) => fault.code);

async function whole(bytes: Buffer, index: number): Promise<Buffer> {
  const source = memorySource(bytes);
  const entry = openZip(source, 'x.zip').entries[index];
  if (entry === undefined) throw new Error('no such entry');
  const chunks: Uint8Array[] = [];
  for await (const chunk of entryChunks(source, entry)) chunks.push(chunk);
  return Buffer.concat(chunks);
}

describe('the zip reader', () => {
  it('reads what others wrote: stored and deflated, small and large, folders, links, modes', async () => {
    const large = noise(1, 5_000_000, 7);
    const bytes = makeZip([
      { name: 'dir/', mode: 0o40755 },
      { name: 'dir/link', mode: 0o120777, data: '../large' },
      { name: 'large', method: 8, data: large, mode: 0o100600 },
      { name: 'small', data: 'tide', host: 0, mode: 0 },
    ]);
    const { entries, faults, ours } = openZip(memorySource(bytes), 'x.zip');
    expect(faults).toEqual([]);
    expect(ours).toBe(false);
    expect(entries.map(({ path, kind, mode, target }) => [path, kind, mode, target])).toEqual([
      ['dir', 'folder', 0o755, undefined],
      ['dir/link', 'link', 0o777, '../large'],
      ['large', 'file', 0o600, undefined],
      ['small', 'file', undefined, undefined],
    ]);
    expect((await whole(bytes, 2)).equals(large)).toBe(true);
    expect((await whole(bytes, 3)).toString()).toBe('tide');
  });

  it.each<[string, readonly RawEntry[], string[]]>([
    ['a path that leaves', [{ name: '../a' }], ['unsafe-path']],
    ['an absolute path', [{ name: '/etc/a' }], ['unsafe-path']],
    ['a drive letter', [{ name: 'C:/a' }], ['unsafe-path']],
    ['a backslash', [{ name: 'a\\b' }], ['unsafe-path']],
    ['a NUL', [{ name: 'a\0b' }], ['unsafe-path']],
    ['a link that leaves', [{ name: 'a', mode: 0o120777, data: '../../etc' }], ['link-out']],
    [
      'a link that leaves through another',
      [
        { name: 'a/b/up', mode: 0o120777, data: '..' },
        { name: 'c', mode: 0o120777, data: 'a/b/up/../..' },
      ],
      ['link-out'],
    ],
    ['an absolute link', [{ name: 'a', mode: 0o120777, data: '/etc' }], ['link-out']],
    ['an entry behind a link', [{ name: 'a', mode: 0o120777, data: 'b' }, { name: 'a/c' }], ['through-link']],
    ['a name that stands twice', [{ name: 'a' }, { name: 'a', data: 'x' }], ['duplicate-name']],
    ['a name that is not UTF-8', [{ name: Buffer.from([0xff, 0x61]) }], ['bad-name']],
    ['a device', [{ name: 'a', mode: 0o020666 }], ['special-file']],
    ['an unsupported method', [{ name: 'a', method: 12, data: 'x' }], ['method']],
    ['encryption', [{ name: 'a', flags: 0x801, data: 'x' }], ['encrypted']],
    ['another name in the local header', [{ name: 'a', localName: 'b' }], ['header-mismatch']],
    ['another method in the local header', [{ name: 'a', method: 8, localMethod: 0, data: 'x' }], ['header-mismatch']],
    ['an offset that points elsewhere', [{ name: 'abc', data: 'x'.repeat(99), shift: 7 }], ['header-mismatch']],
    [
      'entries that share bytes',
      [
        { name: 'a', data: 'x' },
        { name: 'b', data: 'y', shift: -32 },
      ],
      ['header-mismatch', 'header-mismatch', 'overlap'],
    ],
    ['more than deflate can hold', [{ name: 'a', method: 8, data: 'x', size: 1_000_000 }], ['bomb']],
    ['more than is stored', [{ name: 'a', data: 'x', size: 2 }], ['bomb']],
  ])('finds %s', (_name, entries, expected) => {
    expect(codes(entries)).toEqual(expected);
  });

  it('refuses more than the limits allow', () => {
    const source = memorySource(
      makeZip([
        { name: 'a', data: 'xxx' },
        { name: 'b', data: 'yyy' },
      ]),
    );
    expect(openZip(source, 'x.zip', { entries: 9, unpackedBytes: 5 }).faults).toMatchObject([
      { code: 'bomb', entry: 'b' },
    ]);
    expect(() => openZip(source, 'x.zip', { entries: 1, unpackedBytes: 99 })).toThrow(
      withFields({ code: 'ZIP_INVALID' }),
    );
  });

  it.each([
    ['a wrong checksum', { name: 'a', data: 'x', crc: 1 }, 'checksum'],
    ['data that is no deflate stream', { name: 'a', method: 8, data: 'tide', localMethod: 8 }, 'data'],
    ['less than it declares', { name: 'a', method: 8, data: 'tide', size: 5 }, 'data'],
    ['more than it declares', { name: 'a', method: 8, data: 'tide', size: 2 }, 'bomb'],
  ])('refuses to unpack %s', (name, raw: RawEntry, code) => {
    const bytes = makeZip([raw]);
    if (name.startsWith('data')) bytes.fill(0xff, 31, 35);
    const source = memorySource(bytes);
    const [entry] = openZip(source, 'x.zip').entries;
    expect(() => entry && readEntry(source, entry, 100)).toThrow(
      withFields({ fault: expect.objectContaining({ code }) as unknown }),
    );
  });

  it.each<[string, Buffer, string]>([
    ['nothing', Buffer.alloc(0), 'ZIP_NOT_A_ZIP'],
    ['text', Buffer.from('water level 318 cm\n'.repeat(9)), 'ZIP_NOT_A_ZIP'],
    ['one cut off at the end', makeZip([{ name: 'a', data: 'x'.repeat(200) }]).subarray(0, -30), 'ZIP_TRUNCATED'],
    ['one cut off at the front', makeZip([{ name: 'a', data: 'x'.repeat(200) }]).subarray(50), 'ZIP_TRUNCATED'],
    [
      'one with something before it',
      makeZip([{ name: 'a' }], { before: Buffer.from('#!') }).subarray(1),
      'ZIP_TRUNCATED',
    ],
    ['one with something behind it', makeZip([{ name: 'a' }], { after: Buffer.from('x') }), 'ZIP_TRUNCATED'],
  ])('refuses %s as a whole', (_name, bytes, code) => {
    expect(() => openZip(memorySource(bytes), 'x.zip')).toThrow(withFields({ code }));
  });

  it('survives every single changed byte', () => {
    const good = makeZip(
      [
        { name: 'a/b', method: 8, data: 'tide '.repeat(40) },
        { name: 'c', mode: 0o120777, data: 'a/b' },
      ],
      { comment: 'hello' },
    );
    for (let at = 0; at < good.length; at++) {
      const bytes = Buffer.from(good);
      bytes[at] = (bytes[at] ?? 0) ^ 0xff;
      const source = memorySource(bytes);
      try {
        for (const entry of openZip(source, 'x.zip').entries) readEntry(source, entry, 1e6);
      } catch (error) {
        // A refusal, never a crash: its code is one of ours.
        expect([at, (error as { code?: string }).code]).toEqual([at, expect.stringMatching(/^ZIP_/)]);
      }
    }
  });
});
