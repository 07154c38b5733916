import { chmodSync, existsSync, mkdirSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { itWith } from '../support/needs';
import { answering, nativeProject } from '../support/native';
import { ARM64, makeElf, type ElfParts } from '../support/elf-bytes';
import { folderWith, run } from '../support/program';
import { checkFile } from '../../src/core/pipeline/check/check';
import { thisMachine } from '../../src/cli/session/machine';
import { KNOWN } from '../../src/core/known';
import { ANY_EXECUTABLE } from '../../src/core/languages';
import { readDestination } from '../../src/core/sheet';
import { makeZip, type RawEntry } from '../support/zip-bytes';

const GOOD = { 'main.c': answering('puts("1");') };

function refusal(root: string, env: Readonly<Record<string, string>> = {}): { status: number | null; stderr: string } {
  const { status, stderr } = run(root, ['build'], { env });
  expect(existsSync(join(root, 'out/solver'))).toBe(false);
  return { status, stderr };
}

/** A PATH with nothing on it but programs of our own, by name and text. */
function pathWith(programs: Readonly<Record<string, string>>): string {
  const folder = folderWith({});
  mkdirSync(join(folder, 'bin'));
  symlinkSync(process.execPath, join(folder, 'bin/node'));
  for (const [name, text] of Object.entries(programs)) {
    writeFileSync(join(folder, 'bin', name), `#!/bin/sh\n${text}\n`);
    chmodSync(join(folder, 'bin', name), 0o755);
  }
  return join(folder, 'bin');
}

describe('a build of native code that cannot be', () => {
  itWith('gcc')('shows what the compiler says, without the paths of this machine', () => {
    const root = nativeProject({ 'main.c': 'int main(void) { return tide; }\n' });
    const { status, stderr } = refusal(root);
    expect(status).toBe(3);
    expect(stderr).toContain('compiling solver for x86_64');
    expect(stderr).toMatch(/main\.c:1:25: error: .?tide/);
    expect(stderr).not.toContain(root);
  });

  it('names the package to install where there is no compiler', () => {
    const PATH = pathWith({});
    expect(refusal(nativeProject(GOOD), { PATH })).toMatchObject({
      status: 3,
      stderr: expect.stringMatching(
        /a compiler of C for x86_64[\s\S]*none on this machine[\s\S]*Debian’s `gcc`/,
      ) as string,
    });
    const go = nativeProject({ 'main.go': 'package main\n\nfunc main() {}\n' }, { runtime: 'go', entry: 'main.go' });
    expect(refusal(go, { PATH }).stderr).toContain('golang-go');
    expect(run(go, ['toolchains'], { env: { PATH } }).stdout).toMatch(/not here {2}Rust .*rustc/);
  });

  it('says which versions are here where none is the one that is asked for', () => {
    const rustc = 'case "$1" in -vV) echo "release: 1.62.0";; *) echo /nonexistent;; esac';
    const PATH = pathWith({ rustc, go: 'echo go version go1.18.1 linux/amd64' });
    const rust = { runtime: 'rust', entry: 'main.rs' };
    const old = nativeProject({ 'main.rs': 'fn main() {}\n' }, { ...rust, toolchain: 'rust >=1.63' });
    expect(refusal(old, { PATH })).toMatchObject({
      status: 3,
      stderr: expect.stringContaining('only rustc 1.62.0') as string,
    });
    const bare = nativeProject({ 'main.rs': 'fn main() {}\n' }, { ...rust, arch: ['arm64'] });
    expect(refusal(bare, { PATH }).stderr).toMatch(/aarch64-unknown-linux-gnu[\s\S]*libstd-rust-dev:arm64/);
    const go = nativeProject(
      { 'main.go': 'package main\n' },
      { runtime: 'go', entry: 'main.go', toolchain: 'go ^1.21' },
    );
    expect(refusal(go, { PATH }).stderr).toContain('only go 1.18.1');
  });

  it('tells what stands where an executable should', () => {
    const ready = (content: string | Buffer): string =>
      refusal(nativeProject({ solver: content }, { entry: 'solver' })).stderr;
    expect(ready('#!/bin/sh\necho 1\n')).toContain('a script for /bin/sh');
    expect(ready('text')).toContain('no compiled file at all');
    expect(ready('')).toContain('an empty file');
    expect(ready(makeElf({ type: 1 }))).toContain('an object file');
    expect(ready(makeElf({ soname: 'libtide.so', needed: ['libc.so.6'] }))).toContain('a shared library');
    expect(ready(makeElf({ needed: ['libc.so.6'] }).subarray(0, 200))).toContain('a damaged ELF file');
    expect(ready(Buffer.from('MZ'))).toContain('a damaged PE file');
    expect(refusal(nativeProject(GOOD, { entry: 'solver' })).stderr).toContain('nothing there');
  });

  itWith('rustc', 'gcc')('wants the lock of a package', () => {
    const manifest = '[package]\nname = "solver"\nversion = "0.1.0"\n';
    const root = nativeProject(
      { 'Cargo.toml': manifest, 'src/main.rs': 'fn main() {}\n' },
      { runtime: 'rust', entry: 'src/main.rs' },
    );
    expect(refusal(root)).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('cargo generate-lockfile') as string,
    });
  });

  it('tells all mistakes of the sheet at once', () => {
    const root = nativeProject(GOOD, {
      entry: 'main.c#main',
      artifact: 'jar',
      build: { tags: ['x'], sources: ['../up.c'] },
      toolchain: 'gcc around 12',
      bytecode: true,
      needs: ['libm'],
    });
    const { status, stderr } = refusal(root);
    expect(status).toBe(2);
    for (const part of [
      'just a file',
      '`zip`, `binary` or `image`',
      'it for `c`',
      '../up.c',
      'around 12',
      'bytecode',
      'libm',
    ])
      expect(stderr).toContain(part.replace('bytecode', 'only for Python').replace('libm', 'a list'));
    const other = run(nativeProject(GOOD, { runtime: 'node 20', entry: 'main.mjs' }), ['build']);
    expect(other.stderr).toContain('FILE#MEMBER');
  });
});

describe('check of executables that something else made', () => {
  const destination = (more = ''): string => `destination: slipway
arch: [x86_64, arm64]
accepts: { zip: {}, binary: {} }
runtimes: { native: { glibc: "2.31", start: run, provides: ["libssl.so.3"] } }
${more}`;

  async function found(entries: readonly RawEntry[], text = destination()): Promise<string[]> {
    const root = folderWith({ 'a.zip': makeZip(entries) });
    const { destination: place } = await readDestination(text, 'slipway.yaml', KNOWN);
    if (place === undefined) throw new Error('no destination');
    const { outcomes } = await checkFile({
      path: join(root, 'a.zip'),
      shown: 'a.zip',
      name: 'a.zip',
      destination: place,
      facts: { arch: 'x86_64', runtime: ANY_EXECUTABLE, entry: { text: 'run', file: 'run', member: '' } },
      accept: [],
      today: '2026-02-11',
      scratch: '/nonexistent',
      isVerified: false,
      jobs: 1,
      machine: thisMachine(),
    });
    return outcomes.flatMap(({ rule, findings }) => findings.map((one) => `${one.level} ${rule.id}: ${one.found}`));
  }
  const program = (parts: ElfParts, mode = 0o100755): RawEntry[] => [
    { name: 'run', data: makeElf({ type: 2, stack: 6, ...parts }), mode },
  ];
  const dynamic: ElfParts = { interpreter: '/lib64/ld-linux-x86-64.so.2', needed: ['libc.so.6'] };

  const cases: readonly (readonly [entries: RawEntry[], finding: string])[] = [
    [program({ machine: ARM64 }), 'stop arch/native-file: one for arm64'],
    [program({ bits: 32, machine: 3 }), 'stop arch/native-file: one for x86 (32 bit)'],
    [program({ ...dynamic, versions: { 'libc.so.6': ['GLIBC_2.34'] } }), 'stop runtime/glibc: symbols of glibc 2.34'],
    [
      program({ interpreter: '/lib/ld-musl-x86_64.so.1', needed: ['libc.musl-x86_64.so.1'] }),
      'stop runtime/libc-kind: one for musl',
    ],
    [program({ ...dynamic, interpreter: '/nix/ld.so' }), 'stop runtime/loader: `/nix/ld.so`'],
    [program({ ...dynamic, needed: ['libtide.so.1'] }), 'stop runtime/library: neither'],
    [
      [...program({ ...dynamic, needed: ['libtide.so.1'] }), { name: 'lib/libtide.so.1', data: makeElf() }],
      'stop runtime/library: `lib/libtide.so.1`, where the loader does not look',
    ],
    [program({ ...dynamic, stack: 7 }), 'warn native/executable-stack: one that can be executed'],
    [program({ ...dynamic, load: 7 }), 'warn native/writable-code: a segment that can be written and executed'],
    [program({ x86Level: 3 }), 'stop native/cpu-baseline: x86-64-v3, by its note .note.gnu.property'],
    [program({}, 0o100644), 'stop native/not-executable: 0644'],
    [program({ sections: { '.debug_info': 'x' } }), 'note native/debug-left: 1 B of debugging sections'],
    [[{ name: 'run', data: '#!/bin/sh\n', mode: 0o100755 }], 'stop entry/start-name: a script for /bin/sh'],
    [
      [{ name: 'bin/tide', data: makeElf({ ...dynamic, type: 2 }), mode: 0o100755 }],
      'stop entry/start-name: no such file, but `bin/tide`',
    ],
    [
      [{ name: 'run', data: makeElf(dynamic).subarray(0, 150), mode: 0o100755 }],
      'stop arch/native-file: a damaged ELF file',
    ],
  ];
  for (const [entries, finding] of cases)
    it(`finds ${finding}`, async () => {
      expect((await found(entries)).find((one) => one.startsWith(finding))).toBeDefined();
    });

  it('finds nothing wrong with what is right', async () => {
    const good = [
      ...program({
        ...dynamic,
        needed: ['libc.so.6', 'libssl.so.3', 'libtide.so.1'],
        runpath: '$ORIGIN/lib',
        x86Level: 2,
      }),
      { name: 'lib/libtide.so.1', data: makeElf({ soname: 'libtide.so.1', needed: ['libm.so.6'] }) },
    ];
    const cpu = destination('cpu: { x86_64: x86-64-v3 }\n');
    expect((await found(good, cpu)).filter((one) => !one.startsWith('note native/static'))).toEqual([]);
  });
});
