import { imageFiles as files } from '../../../../test/support/image-files';
import { findLibc, searchPath } from './in-image';

it('an image says where programs are looked for', () => {
  expect(searchPath(['PATH=/a:b:/c'])).toEqual(['/a', '/c']);
});

describe('the C library of an image', () => {
  it('says its version itself', () => {
    const text = 'GNU C Library (Debian GLIBC 2.36-9+deb12u9) stable release version 2.36.\n';
    expect(findLibc(files({ name: 'lib/x86_64-linux-gnu/libc.so.6', data: text }))).toEqual({
      kind: 'glibc',
      version: '2.36',
    });
    expect(findLibc(files({ name: 'lib/ld-musl-x86_64.so.1', data: '' }))).toEqual({ kind: 'musl' });
    expect(findLibc(files({ name: 'bin/sh', data: '' }))).toBeUndefined();
  });
});
