import { spawnSync } from 'node:child_process';
import { createHash, randomBytes } from 'node:crypto';
import { gunzipSync } from 'node:zlib';
import { gzip } from '../gzip';
import { sourceOfBytes } from '../byte-source';
import { TarHeads } from './entries';
import { listTar, readTar } from './reader';
import { TAR_END, tarHeader, writeTar } from './writer';

const MEMBERS = [
  { path: 'package/a.txt', content: Buffer.from('level\n'), mode: 0o644 },
  { path: `package/${'deep/'.repeat(20)}${'n'.repeat(90)}.js`, content: Buffer.alloc(513, 'x'), mode: 0o755 },
  { path: 'package/caf\u00e9.txt', content: Buffer.alloc(0), mode: 0o644 },
];

describe('a tar archive that was written', () => {
  it('reads back as what went in, here and by the tar of the system', () => {
    const bytes = writeTar(MEMBERS, 499_162_500);
    expect(
      [...readTar(bytes, 'a.tar')].map(({ path, bytes: content, mode }) => ({
        path,
        content: Buffer.from(content),
        mode,
      })),
    ).toEqual(MEMBERS);
    const { stdout } = spawnSync('tar', ['--utc', '--numeric-owner', '-tvf', '-'], {
      input: bytes,
      encoding: 'utf8',
      env: { PATH: process.env.PATH, LC_ALL: 'C.UTF-8' },
    });
    expect(stdout.split('\n')[0]).toMatch(/^-rw-r--r-- 0\/0 +6 1985-10-26 08:15 package\/a\.txt$/);
    expect(stdout.trim().split('\n')).toHaveLength(3);
  });

  it('has the same bytes everywhere', () => {
    expect(
      createHash('sha256')
        .update(gzip(writeTar(MEMBERS, 0)))
        .digest('hex'),
    ).toBe('d07bd591c25c0493834ca1cf61443bd6c9e0b9aeadff70909c688076bc6cb666');
  });

  it('holds names of any length, links and large sizes, as the tar of the system reads them', () => {
    const long = `${'folder/'.repeat(60)}${'n'.repeat(300)}`;
    const head = { mode: 0o644, size: 0, mtimeSeconds: 0 };
    const bytes = Buffer.concat([
      tarHeader({ ...head, path: long, kind: 'file' }),
      tarHeader({ ...head, path: 'short', kind: 'link', mode: 0o777, target: `../${long}` }),
      tarHeader({ ...head, path: 'tide table', kind: 'folder', mode: 0o755, uid: 7, gid: 8 }),
      TAR_END,
    ]);
    const heads = [...listTar(sourceOfBytes(bytes), 'a.tar')].map((one) => one.head);
    expect(heads.map(({ path, target, uid, gid }) => [path, target, uid, gid])).toEqual([
      [long, undefined, 0, 0],
      ['short', `../${long}`, 0, 0],
      ['tide table', undefined, 7, 8],
    ]);
    const { stdout } = spawnSync('tar', ['-tf', '-'], { input: bytes, encoding: 'utf8' });
    expect(stdout).toBe(`${long}\nshort\ntide table/\n`);
    const large = tarHeader({ ...head, path: 'large', kind: 'file', size: 9 * 1024 ** 3 });
    const heads2 = new TarHeads('large.tar');
    expect(heads2.next(large.subarray(0, 512), 0)).toEqual({ is: 'extended', size: 19 });
    heads2.extend(large.subarray(512, 531));
    expect(heads2.next(large.subarray(1024, 1536), 1024)).toMatchObject({ head: { size: 9 * 1024 ** 3 } });
  });
});

describe('gzip', () => {
  it.each([0, 1, 1000, 3 * 1024 * 1024 + 7])('of %d bytes is what zlib unpacks', (length) => {
    const bytes = Buffer.concat([randomBytes(Math.min(length, 500)), Buffer.alloc(Math.max(0, length - 500), 'tide')]);
    expect(gunzipSync(gzip(bytes)).equals(bytes)).toBe(true);
  });
});
