import { imageFiles as files } from '../../../test/support/image-files';
import type { RawTarEntry } from '../../../test/support/tar-bytes';
import type { FoundRuntime, ImageFiles } from '../disk/unpack/in-image';
import type { LanguageId } from '../sheet';
import { openLanguage } from './';

const program = (name: string, data: string | Buffer = 'elf'): RawTarEntry => ({ name, data, mode: 0o755 });

interface Wanted {
  readonly language: LanguageId;
  readonly version: string;
}
const node20: Wanted = { language: 'node', version: '20' };

async function find(
  image: ImageFiles,
  env: string[],
  { language, version }: Wanted,
): Promise<FoundRuntime | undefined> {
  return (await openLanguage(language)).run.image.find(image, env, version);
}

describe('a runtime in an image', () => {
  it('is looked for as the image looks for programs, through its links', async () => {
    const image = files(program('opt/n/bin/node', 'x'.repeat(5_000_000) + 'node-v20.19.5-headers'), {
      name: 'usr/bin/node',
      type: '2',
      link: '/opt/n/bin/node',
    });
    expect(await find(image, [], node20)).toEqual({ program: '/usr/bin/node', version: '20.19.5' });
    expect((await find(image, ['PATH=/opt/n/bin'], node20))?.program).toBe('/opt/n/bin/node');
    expect(await find(image, ['PATH=/nowhere'], node20)).toBeUndefined();
    expect(await find(files({ name: 'usr/bin/node', data: 'no program' }), [], node20)).toBeUndefined();
  });

  it('is known by what the system has recorded where it does not say itself', async () => {
    const status =
      'Package: libc6\nVersion: 2.36-9\n\nPackage: nodejs\nStatus: install ok\nVersion: 1:18.20.4+dfsg-1~deb12u1\n\n';
    const image = files(program('usr/bin/nodejs'), { name: 'var/lib/dpkg/status', data: status });
    expect(await find(image, [], { language: 'node', version: '18' })).toEqual({
      program: '/usr/bin/nodejs',
      version: '18.20.4',
    });
  });

  it('is Python by its name, and more exactly by its headers', async () => {
    const python: Wanted = { language: 'python', version: '3.11' };
    const plain = files(program('usr/bin/python3.11'), { name: 'usr/bin/python3', type: '2', link: 'python3.11' });
    expect(await find(plain, [], python)).toEqual({ program: '/usr/bin/python3.11', version: '3.11' });
    expect(await find(plain, [], { language: 'python', version: '3.12' })).toEqual({
      program: '/usr/bin/python3',
      version: '3.11',
    });
    const header = { name: 'usr/local/include/python3.11/patchlevel.h', data: '#define PY_VERSION   "3.11.7"\n' };
    expect((await find(files(program('usr/local/bin/python3.11'), header), [], python))?.version).toBe('3.11.7');
  });

  it('is Java at its home', async () => {
    const image = files(program('opt/jdk/bin/java'), {
      name: 'opt/jdk/release',
      data: 'IMPLEMENTOR="x"\nJAVA_VERSION="17.0.9"\n',
    });
    expect(await find(image, ['JAVA_HOME=/opt/jdk', 'PATH=/bin'], { language: 'jvm', version: '17' })).toEqual({
      program: '/opt/jdk/bin/java',
      version: '17.0.9',
    });
  });
});
