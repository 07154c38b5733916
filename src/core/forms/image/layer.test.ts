import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { gunzipSync } from 'node:zlib';
import { words } from '../../../../test/support/data';
import { directCompressor } from '../packing';
import { packLayer, type LayerEntry } from './layer';

const file = (path: string, content: Buffer, mode = 0o644): LayerEntry => ({
  path,
  mode,
  kind: 'file',
  size: content.length,
  *content() {
    for (let at = 0; at < content.length; at += 700_000) yield content.subarray(at, at + 700_000);
  },
});
const pack = async (entries: readonly LayerEntry[], mtimeSeconds = 0) => {
  const parts: Buffer[] = [];
  const sink = { append: (bytes: Uint8Array) => void parts.push(Buffer.from(bytes)) };
  const packed = await packLayer({ entries, compressor: directCompressor, sink, mtimeSeconds });
  return { ...packed, bytes: Buffer.concat(parts) };
};
const sha256 = (bytes: Uint8Array): string => createHash('sha256').update(bytes).digest('hex');

describe('a layer', () => {
  const entries: LayerEntry[] = [
    { path: 'function', kind: 'folder', mode: 0o755 },
    file('function/a.txt', Buffer.from('level\n')),
    file('function/run', words(3, 2_500_000), 0o755),
    { path: 'function/link', kind: 'link', mode: 0o777, target: 'run' },
    { path: 'function/twin', kind: 'hard-link', mode: 0o755, target: 'function/run' },
    { path: 'tmp', kind: 'folder', mode: 0o1777, uid: 5, gid: 6 },
    file('function/empty', Buffer.alloc(0)),
  ];

  it('is what tar and gzip of the system read, with its digests', async () => {
    const { bytes, diffId, unpacked, digests } = await pack(entries);
    const plain = gunzipSync(bytes);
    expect([sha256(plain), plain.length]).toEqual([diffId, unpacked]);
    expect(digests.get('function/a.txt')).toBe(sha256(Buffer.from('level\n')));
    const { stdout } = spawnSync('tar', ['--numeric-owner', '-tvzf', '-'], {
      input: bytes,
      encoding: 'utf8',
      env: { PATH: process.env.PATH, TZ: 'UTC' },
    });
    expect(stdout.split('\n').map((line) => line.replace(/ +/g, ' '))).toEqual([
      'drwxr-xr-x 0/0 0 1970-01-01 00:00 function/',
      '-rw-r--r-- 0/0 6 1970-01-01 00:00 function/a.txt',
      '-rwxr-xr-x 0/0 2500000 1970-01-01 00:00 function/run',
      'lrwxrwxrwx 0/0 0 1970-01-01 00:00 function/link -> run',
      'hrwxr-xr-x 0/0 0 1970-01-01 00:00 function/twin link to function/run',
      'drwxrwxrwt 5/6 0 1970-01-01 00:00 tmp/',
      '-rw-r--r-- 0/0 0 1970-01-01 00:00 function/empty',
      '',
    ]);
  });

  it('has the same bytes everywhere', async () => {
    expect(sha256((await pack(entries, 499_162_500)).bytes)).toBe(
      '99472a967c913d7b5703eb6479f3ccc2452acdcd8f0e7f83fe9abf5f44de8f6a',
    );
  });

  it.each([0, 1, 3])('fills %d segments exactly', async (segments) => {
    // A header, content and two closing blocks make whole segments.
    const size = segments * 1024 * 1024 - 3 * 512;
    const { bytes, unpacked } = await pack(segments === 0 ? [] : [file('f', Buffer.alloc(size, 7))]);
    expect(gunzipSync(bytes).length).toBe(unpacked);
    expect(unpacked).toBe(segments === 0 ? 1024 : segments * 1024 * 1024);
  });
});
