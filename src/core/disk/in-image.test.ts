import { makeTar, type RawTarEntry } from '../../../test/support/tar-bytes';
import { sourceOfBytes } from '../formats/byte-source';
import { stackLayers } from '../formats/oci';
import { listTar } from '../formats/tar';
import { findLibc, findRuntime, searchPath, type ImageFiles } from './in-image';

function files(...entries: readonly RawTarEntry[]): ImageFiles {
  const bytes = makeTar(entries);
  return {
    tree: stackLayers([[...listTar(sourceOfBytes(bytes), 'layer')]], 'image'),
    read: (node, at, length) => bytes.subarray(node.at + at, node.at + at + length),
  };
}
const program = (name: string, data: string | Buffer = 'elf'): RawTarEntry => ({ name, data, mode: 0o755 });
const node20 = { language: 'node', version: '20' };

describe('a runtime in an image', () => {
  it('is looked for as the image looks for programs, through its links', () => {
    const image = files(program('opt/n/bin/node', 'x'.repeat(5_000_000) + 'node-v20.19.5-headers'), {
      name: 'usr/bin/node',
      type: '2',
      link: '/opt/n/bin/node',
    });
    expect(findRuntime(image, [], node20)).toEqual({ program: '/usr/bin/node', version: '20.19.5' });
    expect(findRuntime(image, ['PATH=/opt/n/bin'], node20)?.program).toBe('/opt/n/bin/node');
    expect(findRuntime(image, ['PATH=/nowhere'], node20)).toBeUndefined();
    expect(findRuntime(files({ name: 'usr/bin/node', data: 'no program' }), [], node20)).toBeUndefined();
    expect(searchPath(['PATH=/a:b:/c'])).toEqual(['/a', '/c']);
  });

  it('is known by what the system has recorded where it does not say itself', () => {
    const status =
      'Package: libc6\nVersion: 2.36-9\n\nPackage: nodejs\nStatus: install ok\nVersion: 1:18.20.4+dfsg-1~deb12u1\n\n';
    const image = files(program('usr/bin/nodejs'), { name: 'var/lib/dpkg/status', data: status });
    expect(findRuntime(image, [], { language: 'node', version: '18' })).toEqual({
      program: '/usr/bin/nodejs',
      version: '18.20.4',
    });
  });

  it('is Python by its name, and more exactly by its headers', () => {
    const python = { language: 'python', version: '3.11' };
    const plain = files(program('usr/bin/python3.11'), { name: 'usr/bin/python3', type: '2', link: 'python3.11' });
    expect(findRuntime(plain, [], python)).toEqual({ program: '/usr/bin/python3.11', version: '3.11' });
    expect(findRuntime(plain, [], { language: 'python', version: '3.12' })).toEqual({
      program: '/usr/bin/python3',
      version: '3.11',
    });
    const header = { name: 'usr/local/include/python3.11/patchlevel.h', data: '#define PY_VERSION   "3.11.7"\n' };
    expect(findRuntime(files(program('usr/local/bin/python3.11'), header), [], python)?.version).toBe('3.11.7');
  });

  it('is Java at its home', () => {
    const image = files(program('opt/jdk/bin/java'), {
      name: 'opt/jdk/release',
      data: 'IMPLEMENTOR="x"\nJAVA_VERSION="17.0.9"\n',
    });
    expect(findRuntime(image, ['JAVA_HOME=/opt/jdk', 'PATH=/bin'], { language: 'java', version: '17' })).toEqual({
      program: '/opt/jdk/bin/java',
      version: '17.0.9',
    });
  });
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
