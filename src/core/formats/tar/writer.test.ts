import { spawnSync } from 'node:child_process';
import { createHash, randomBytes } from 'node:crypto';
import { gunzipSync } from 'node:zlib';
import { gzip } from '../gzip';
import { readTar } from './reader';
import { writeTar } from './writer';

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
    ).toBe('0687a446b215f53fed16b6ca6133521fbb041f8c071c1109fb2016932289d284');
  });

  it('refuses names that do not fit', () => {
    expect(() => writeTar([{ path: 'n'.repeat(300), content: Buffer.alloc(0), mode: 0o644 }], 0)).toThrow('too long');
  });
});

describe('gzip', () => {
  it.each([0, 1, 1000, 3 * 1024 * 1024 + 7])('of %d bytes is what zlib unpacks', (length) => {
    const bytes = Buffer.concat([randomBytes(Math.min(length, 500)), Buffer.alloc(Math.max(0, length - 500), 'tide')]);
    expect(gunzipSync(gzip(bytes)).equals(bytes)).toBe(true);
  });
});
