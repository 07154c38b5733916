import { spawnSync } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { mkdirSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { imageProject, layoutTar, type HandImage } from '../support/images';
import { makeElf, X86_64 } from '../support/elf-bytes';
import { changed, elfFile, findingsIn, GOOD, MOORINGS, NODE } from '../support/foreign-images';
import { folderWith, HORN, run, type Files } from '../support/program';

describe('an image that somebody else made', () => {
  it('is held to every rule, and its working folder to those of its language', () => {
    const arch = ['--runtime', 'node 20', '--entry', 'horn.mjs#sound'];
    expect(findingsIn([GOOD], arch)).toEqual([]);
    expect(
      findingsIn([GOOD], ['--runtime', 'node 20', '--entry', 'bell.mjs#ring']).map((one) => one.split(' ')[0]),
    ).toContain('entry/missing-file');
    expect(findingsIn([GOOD], ['--arch', 'arm64'])).toContain(
      'image/arch-mixed stop -: one that says it is for x86_64',
    );
  });

  it.each<[string, HandImage, string]>([
    ['runs as root', changed({ User: '0:0' }), 'image/root-user warn -: `0:0`'],
    ['says no user', changed({ User: '' }), 'image/root-user warn -: none, which is root'],
    ['starts nothing', changed({ Entrypoint: [] }), 'image/entry-missing stop -: none'],
    [
      'starts what is not there',
      changed({ Entrypoint: ['/usr/bin/nodejs'] }),
      'image/entry-missing stop /usr/bin/nodejs: no such file',
    ],
    [
      'starts what must not be executed',
      changed({ Entrypoint: ['/app/horn.mjs'] }),
      'image/entry-missing stop /app/horn.mjs: mode 0644',
    ],
    [
      'starts a script without its interpreter',
      { ...changed({ Entrypoint: ['/run'] }), layers: [[{ name: 'run', data: '#!/bin/bash\n', mode: 0o755 }]] },
      'image/entry-missing stop /run: one for `/bin/bash`, which is not there',
    ],
    [
      'starts a program without its loader',
      {
        ...changed({ Entrypoint: ['/run'] }),
        layers: [[{ name: 'run', data: elfFile('x86_64', '/lib64/ld-linux-x86-64.so.2'), mode: 0o755 }]],
      },
      'image/entry-missing stop /run: no such file in the image',
    ],
    [
      'holds files for another processor',
      {
        ...GOOD,
        layers: [
          [NODE],
          [
            { name: 'lib/a.so', data: elfFile('arm64') },
            { name: 'lib/b.so', data: elfFile('arm64') },
          ],
        ],
      },
      'image/arch-mixed stop layer 2: 2 files for arm64, such as `lib/a.so`',
    ],
    [
      'hides what it sends',
      {
        ...GOOD,
        layers: [[NODE, { name: 'data/big', data: Buffer.alloc(2 << 20, 'tide') }], [{ name: 'data/.wh.big' }]],
      },
      'image/shadowed warn layer 1: 2 MiB in 1 file that upper layers hide, such as `data/big`, hidden by layer 2',
    ],
    [
      'has programs with the rights of their owner',
      {
        ...GOOD,
        layers: [[NODE, { name: 'bin/su', data: 'x', mode: 0o4755 }, { name: 'bin/wall', data: 'x', mode: 0o2755 }]],
      },
      'image/setuid warn layer 1: 2 programs: `bin/su` and `bin/wall`',
    ],
    [
      'tells when it was built',
      {
        ...GOOD,
        layers: [
          [
            { ...NODE, mtime: 1_700_000_000 },
            { name: 'x', data: 'x', mtime: 1_700_000_060 },
          ],
        ],
      },
      'image/time-leak note layer 1: times from 2023-11-14T22:13:20Z to 2023-11-14T22:14:20Z',
    ],
    [
      'stands on a name that moves',
      { ...GOOD, annotations: { 'org.opencontainers.image.base.name': 'harbour.example/node:20' } },
      'image/base-moving stop harbour.example/node:20: only the name, which may mean another image tomorrow',
    ],
    [
      'has too many layers',
      { ...GOOD, layers: [[NODE], [{ name: 'a', data: 'a' }], [{ name: 'b', data: 'b' }], [{ name: 'c', data: 'c' }]] },
      'size/layers-count stop -: a number of layers of 4',
    ],
  ])('is told that it %s', (_what, image, expected) => {
    expect(findingsIn([image])).toContain(expected);
  });

  it('is told that it is too big, as it is sent', () => {
    const noise = randomBytes(1_200_000);
    const found = findingsIn([{ ...GOOD, layers: [[NODE, { name: 'app/noise', data: noise }]] }]).map((one) =>
      one.split(' ').slice(0, 3).join(' '),
    );
    expect(found).toEqual(expect.arrayContaining(['size/image stop -:', 'size/layer stop layer']));
  });

  it('is told that its runtime is missing, or another', () => {
    const none = { ...GOOD, layers: [[{ name: 'app/horn.mjs', data: HORN }]] };
    expect(findingsIn([none], ['--runtime', 'node 20'])).toContain('image/runtime-missing stop -: nothing of the kind');
    const headers = {
      ...NODE,
      data: Buffer.concat([elfFile('x86_64'), Buffer.from('release/v18.20.4/node-v18.20.4-headers')]),
    };
    const older = { ...GOOD, layers: [[headers, { name: 'app/horn.mjs', data: HORN }]] };
    expect(findingsIn([older], ['--runtime', 'node 20'])).toContain(
      'image/runtime-missing stop /usr/bin/node: version 18.20.4',
    );
    expect(findingsIn([older], ['--runtime', 'node 18']).join()).not.toContain('runtime-missing');
    const java = {
      ...changed({ Env: ['PATH=/usr/bin', 'JAVA_HOME=/opt/java'] }),
      layers: [
        [
          NODE,
          { name: 'opt/java/bin/java', data: 'elf', mode: 0o755 },
          { name: 'opt/java/release', data: 'JAVA_VERSION="11.0.2"\n' },
        ],
      ],
    };
    expect(findingsIn([java], ['--runtime', 'java 17']).join()).toContain(
      'image/runtime-missing stop /opt/java/bin/java: version 11.0.2',
    );
  });

  it('is told that its C library is older than its files need, and which libraries it lacks', () => {
    const libc = {
      name: 'lib/x86_64-linux-gnu/libc.so.6',
      data: 'GNU C Library (harbour) stable release version 2.17.\n',
    };
    const program = makeElf({
      machine: X86_64,
      type: 2,
      needed: ['libc.so.6', 'libwave.so.1'],
      versions: { 'libc.so.6': ['GLIBC_2.34'] },
    });
    const image = {
      ...changed({ Entrypoint: ['/app/run'] }),
      layers: [[libc, { name: 'app/run', data: program, mode: 0o755 }]],
    };
    const found = findingsIn([image], ['--runtime', 'native', '--entry', 'run']);
    expect(found.filter((one) => one.startsWith('runtime/'))).toEqual([
      'runtime/glibc stop run: symbols of glibc 2.34',
      'runtime/library stop run: none',
    ]);
  });

  it('is chosen by architecture where a layout has several', () => {
    const both = ['amd64', 'arm64'].map((architecture) => ({
      ...GOOD,
      architecture,
      platform: { os: 'linux', architecture },
    }));
    expect(findingsIn(both, ['--arch', 'x86_64'])).toEqual([]);
    const root = folderWith({ 'image.oci.tar': layoutTar(both), 'moorings.yaml': MOORINGS });
    const outcome = run(root, ['check', 'image.oci.tar', '--at', './moorings.yaml']);
    expect([outcome.status, outcome.stderr.includes('add --arch')]).toEqual([2, true]);
  });

  it('is refused when it is damaged, and nothing of it is left', () => {
    const TMPDIR = folderWith({});
    const root = folderWith({
      'image.oci.tar': layoutTar([{ ...GOOD, diffIds: [`sha256:${'0'.repeat(64)}`] }]),
      'moorings.yaml': MOORINGS,
    });
    const outcome = run(root, ['check', 'image.oci.tar', '--at', './moorings.yaml'], { env: { TMPDIR } });
    expect([outcome.status, outcome.stderr.includes('the unpacked content of `sha256:000')]).toEqual([2, true]);
    expect(readdirSync(TMPDIR)).toEqual([]);
  });
});

const sheet = (keys: Readonly<Record<string, unknown>>, more: Files = {}): string => imageProject(MOORINGS, keys, more);

describe('a sheet with an image', () => {
  it.each<[string, Readonly<Record<string, unknown>>, string]>([
    ['without a base for an interpreter', {}, 'write `base: { runtime: node }`'],
    ['with an empty one', { base: 'empty' }, 'what brings node'],
    ['with two kinds of base', { base: { image: 'h.example/a', root: 'src' } }, 'keep one of them'],
    ['with none of them', { base: {} }, 'one of `image`, `layout`, `root` and `runtime`'],
    ['with a reference that is none', { base: { image: 'python' } }, 'no `/` between the registry and the name'],
    ['with another runtime', { base: { runtime: 'python' } }, '`node`, which the function asks for'],
    ['with a base that is not there', { base: { root: 'bases/{arch}' } }, 'where nothing is'],
    ['with a base outside', { base: { root: '../elsewhere' } }, 'which leaves it'],
    ['with a tag where none belongs', { base: { root: 'src', tag: 'x' } }, 'it only with `layout`'],
    ['with a user by name', { base: { root: 'src' }, user: 'harbour' }, 'numbers in quotes'],
    [
      'with two layers of one name',
      {
        base: { root: 'src' },
        layers: [
          { name: 'a', files: ['x'] },
          { name: 'a', files: ['y'] },
        ],
      },
      'a name that no other layer has',
    ],
    ['with keys of images elsewhere', { artifact: 'zip', labels: { a: 'b' } }, 'it only for images'],
    ['with a form that its language has not', { artifact: 'jar', base: undefined }, '`zip` or `image`'],
  ])('is refused %s', (_what, keys, said) => {
    const outcome = run(sheet(keys), ['build']);
    expect([outcome.status, outcome.stderr.includes(said) || outcome.stderr]).toEqual([2, true]);
  });

  it.each([
    ['a registry without a name', 'registry: "not a host/x"'],
    ['a namespace in capitals', 'registry: harbour.example/Fernhaven'],
  ])('is refused with %s in its destination', (_what, line) => {
    expect(run(sheet({ base: { root: 'src' } }, { 'moorings.yaml': `${MOORINGS}${line}\n` }), ['build']).status).toBe(
      2,
    );
  });

  it('names what a base lacks, of architecture, and what is no root', () => {
    const layout = layoutTar([
      { ...GOOD, architecture: 'arm64', platform: { os: 'linux', architecture: 'arm64' } },
      { ...GOOD, architecture: 's390x' },
    ]);
    const other = run(sheet({ base: { layout: 'base.oci.tar' } }, { 'base.oci.tar': layout }), ['lock']);
    expect([other.status, other.stderr.includes('one image for x86_64')]).toEqual([2, true]);
    const broken = run(sheet({ base: { root: 'root.tar' } }, { 'root.tar': Buffer.alloc(5000, 'x') }), ['lock']);
    expect([broken.status, broken.stderr.includes('expected  a header block')]).toEqual([2, true]);
    const out = run(sheet({ base: { layout: 'base.tar' } }, { 'base.tar': Buffer.alloc(1024) }), ['lock']);
    expect([out.status, out.stderr.includes('an image layout')]).toEqual([2, true]);
  });

  it('is found out to be for another architecture than its base', () => {
    const root = sheet({ base: { root: 'root' } });
    mkdirSync(join(root, 'root/usr/bin'), { recursive: true });
    spawnSync('sh', ['-c', 'cat > root/usr/bin/node && chmod 755 root/usr/bin/node'], {
      cwd: root,
      input: elfFile('arm64'),
    });
    expect(run(root, ['lock']).status).toBe(0);
    expect(run(root, ['build']).status).toBe(0);
    const outcome = run(root, ['check']);
    expect([
      outcome.status,
      outcome.stdout.includes('image/arch-mixed') && outcome.stdout.includes('layer 1 (base)'),
    ]).toEqual([1, true]);
    const tried = run(root, ['try', 'horn', '--event', 'emballage.yaml']);
    expect(tried.status).not.toBe(0);
  });

  it('is not run where the system does not let us, which is said', () => {
    const root = sheet({ base: { root: 'root' } });
    mkdirSync(join(root, 'root/usr/bin'), { recursive: true });
    mkdirSync(join(root, 'bin'));
    const tools =
      'cat > root/usr/bin/node; printf "#!/bin/sh\\necho not permitted >&2; exit 1\\n" > bin/unshare; chmod 755 root/usr/bin/node bin/unshare';
    spawnSync('sh', ['-c', tools], { cwd: root, input: elfFile('x86_64') });
    expect([run(root, ['lock']).status, run(root, ['build']).status]).toEqual([0, 0]);
    const path = `${join(root, 'bin')}:${process.env.PATH ?? ''}`;
    const outcome = run(root, ['try', 'horn', '--event', 'event.json'], { env: { PATH: path } });
    expect([outcome.status, outcome.stderr.includes('found     not permitted')]).toEqual([3, true]);
  });
});
