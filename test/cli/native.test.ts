import { createHash } from 'node:crypto';
import { copyFileSync, existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { itWith } from '../support/needs';
import { answering, contentOf, CROSS, EMULATOR, entriesOf, nativeProject } from '../support/native';
import { cachesOf, folderWith, put, run } from '../support/program';
import { makeTar } from '../support/tar-bytes';
import { makeZip } from '../support/zip-bytes';
import { readElf } from '../../src/core/formats/elf';

const DEMO = join(__dirname, '../../demo/fernhaven-tides');
const ZIP = 'out/solver/x86_64/solver.zip';

interface Calls {
  readonly failed: number;
  readonly calls: readonly {
    readonly answer: { kind: string; json?: string; failure?: { kind: string; what?: string } };
  }[];
}

function tryIt(root: string, args: readonly string[] = []): Calls {
  return JSON.parse(run(root, ['try', 'solver', '--event', 'event.json', '--json', ...args]).stdout) as Calls;
}

function build(root: string, name = 'solver'): string {
  const outcome = run(root, ['build', name]);
  expect(outcome).toMatchObject({ stderr: '', status: 0 });
  return outcome.stdout;
}

describe('functions in C', () => {
  itWith(
    'gcc',
    CROSS,
    EMULATOR,
  )('are compiled for both processors, packed with their data, and called', () => {
    const root = folderWith({});
    for (const name of [
      'destinations/slipway.yaml',
      'events/tide-solver/noon.json',
      'functions/tide-solver-c/solver.c',
    ]) {
      mkdirSync(join(root, name, '..'), { recursive: true });
      copyFileSync(join(DEMO, name), join(root, name));
    }
    copyFileSync(
      join(DEMO, 'functions/tide-solver-c/constituents.txt'),
      join(root, 'functions/tide-solver-c/constituents.txt'),
    );
    const [head = '', ...functions] = readFileSync(join(DEMO, 'solver.yaml'), 'utf8').split(/^ {2}(?=tide-solver)/m);
    const own = functions.find((text) => text.startsWith('tide-solver-c:')) ?? '';
    writeFileSync(join(root, 'emballage.yaml'), `${head}  ${own.replace('tide-solver-c:', 'solver:')}`);
    build(root);
    for (const arch of ['x86_64', 'arm64']) {
      const archive = join(root, `out/solver/${arch}/solver.zip`);
      expect(entriesOf(archive).map(({ path, mode }) => `${mode} ${path}`)).toEqual([
        '644 constituents.txt',
        '755 run',
      ]);
      expect(readElf(contentOf(archive, 'run'))?.machine).toBe(arch === 'arm64' ? 183 : 62);
      const { calls } = JSON.parse(run(root, ['try', 'solver', '--arch', arch, '--json']).stdout) as Calls;
      expect(calls.map(({ answer }) => answer.json)).toEqual(['{"levelCm":458.5}']);
    }
    expect(run(root, ['check'])).toMatchObject({ status: 0 });
    expect(run(root, ['build']).stdout).toContain('unchanged');
  });

  itWith('gcc')('come out the same in another folder, for another user, at another time', () => {
    const source = { 'main.c': answering('printf("{\\"day\\":\\"%s\\",\\"at\\":\\"%s\\"}\\n", __DATE__, __FILE__);') };
    const [first, second] = [nativeProject(source), nativeProject(source)];
    build(first);
    const env = { HOME: '/nonexistent', USER: 'somebody', TZ: 'Pacific/Chatham', LC_ALL: 'tr_TR.UTF-8' };
    expect(run(second, ['build'], { env })).toMatchObject({ status: 0 });
    for (const name of [ZIP, 'out/solver/x86_64/solver.waybill.json'])
      expect(readFileSync(join(second, name)).equals(readFileSync(join(first, name)))).toBe(true);
    expect(tryIt(first).calls[0]?.answer.json).toBe('{"day":"Jan  1 1980","at":"main.c"}');
    expect(run(first, ['check'])).toMatchObject({ status: 0 });
  });

  itWith('gcc', 'g++')(
    'may be in C++, with headers beside the source folder, static, and an artifact by themselves',
    () => {
      const main =
        '#include <iostream>\n#include "../shared/tide.hpp"\nint main() { std::string l; while (std::getline(std::cin, l)) std::cout << tide() << std::endl; }\n';
      const root = nativeProject(
        { 'main.cpp': main },
        { entry: 'main.cpp', artifact: 'binary', build: { linkage: 'static' } },
        { 'shared/tide.hpp': 'inline int tide() { return 41; }\n' },
      );
      build(root);
      const artifact = join(root, 'out/solver/x86_64/solver');
      expect(readElf(readFileSync(artifact))?.interpreter).toBeUndefined();
      expect(tryIt(root).calls[0]?.answer.json).toBe('41');
      const result = run(root, ['check']).stdout;
      expect(result).toContain('fit to go');
      expect(result).not.toContain('native/');
      // The same file by hand, which says itself what it is for.
      expect(run(root, ['check', artifact, '--at', 'slipway.yaml'])).toMatchObject({ status: 0 });
      expect(run(root, ['build']).stdout).toContain('unchanged');
      put(root, { 'shared/tide.hpp': 'inline int tide() { return 42; }\n' });
      build(root);
      expect(tryIt(root).calls[0]?.answer.json).toBe('42');
    },
  );

  itWith(
    'gcc',
    CROSS,
    EMULATOR,
  )('may have assembly and threads, for both processors', () => {
    const main = answering(
      'int n = 0; pthread_t t; pthread_create(&t, 0, work, &n); pthread_join(t, 0); printf("%d\\n", n);',
      '#include <pthread.h>\nint seven(int);\nstatic void *work(void *n) { *(int *)n = seven(*(int *)n); return 0; }\n',
    );
    const root = nativeProject(
      {
        'main.c': main,
        'seven.S':
          '.globl seven\n#ifdef __x86_64__\nseven: lea 7(%rdi), %eax\n ret\n#else\nseven: add w0, w0, #7\n ret\n#endif\n',
        'more_aarch64.s': '.globl more\nmore: add w0, w0, #1\n ret\n',
      },
      { arch: ['x86_64', 'arm64'], build: { flags: ['-pthread'] }, timeout: '10 s' },
    );
    build(root);
    for (const arch of ['x86_64', 'arm64']) expect(tryIt(root, ['--arch', arch]).calls[0]?.answer.json).toBe('7');
    expect(run(root, ['check']).stdout).not.toContain('native/executable-stack');
  });

  itWith('gcc')('are stripped as the sheet asks', () => {
    const source = { 'main.c': answering('puts("1");') };
    const sizes = ['all', 'debug', 'none'].map((strip) => {
      const root = nativeProject(source, { strip, build: { flags: ['-g'] } });
      build(root);
      return entriesOf(join(root, ZIP)).find(({ path }) => path === 'run')?.size ?? 0;
    });
    expect(sizes[0]).toBeLessThan(sizes[1] ?? 0);
    expect(sizes[1]).toBeLessThan(sizes[2] ?? 0);
    const root = nativeProject(source, { strip: 'none', build: { flags: ['-g'] } });
    build(root);
    expect(run(root, ['check']).stdout).toContain('native/debug-left');
  });

  itWith('gcc')('tell of a folder, and of settings that nobody declared', () => {
    const root = nativeProject({ 'main.c': '' });
    put(root, { 'f/main.c': answering(`puts(getenv("DEPTH") ? "1" : "\\"${root}/f\\"");`) });
    build(root);
    const { status, stdout } = run(root, ['check']);
    expect(status).toBe(1);
    expect(stdout).toMatch(/stop {2}repro\/path-leak {2}run\n.*\n.*`[^`]*\/f"?` in \.rodata, byte \d+/);
    expect(stdout).toContain('settings/undeclared  f/main.c:5');
  });

  itWith('gcc')('may be executables that are there already, one for each architecture', () => {
    const made = nativeProject({ 'main.c': answering('puts("7");') }, { build: { linkage: 'static' }, strip: 'none' });
    build(made);
    const ready = contentOf(join(made, ZIP), 'run');
    const root = nativeProject(
      { 'dist/x86_64/solver': ready, 'dist/arm64/solver': 'for another processor', 'notes.txt': 'packed' },
      { entry: 'dist/{arch}/solver' },
    );
    build(root);
    expect(entriesOf(join(root, ZIP)).map(({ path }) => path)).toEqual(['notes.txt', 'run']);
    expect(entriesOf(join(root, ZIP))[1]?.size).toBeLessThan(ready.length);
    expect(tryIt(root).calls[0]?.answer.json).toBe('7');
  });
});

describe('calls by lines', () => {
  const outcomes: readonly (readonly [name: string, body: string, kind: string])[] = [
    ['what is no JSON', 'puts("42 cm");', 'not-json'],
    ['more than was asked for', 'puts("1\\n2");', 'garbled'],
    ['nothing, for too long', 'if (0) puts("1"); for (;;) {}', 'hung'],
    ['with a crash', 'abort();', 'killed'],
    ['by ending', 'exit(3);', 'exited'],
  ];
  for (const [name, body, kind] of outcomes)
    itWith('gcc')(`that are answered ${name} have failed`, () => {
      const root = nativeProject({ 'main.c': answering(body) }, { timeout: '300 ms' });
      build(root);
      const { failed, calls } = tryIt(root);
      expect([failed, calls[0]?.answer.failure?.kind]).toEqual([1, kind]);
    });
});

const RUST = `use std::io::BufRead;
fn main() { for line in std::io::stdin().lock().lines() { println!("{}", LEVEL + line.unwrap().matches("hours").count()); } }
`;

describe('functions in Rust', () => {
  itWith(
    'rustc',
    'gcc',
    'aarch64-linux-gnu-gcc',
  )('of one file are compiled for both processors at once', () => {
    const root = nativeProject(
      { 'main.rs': `const LEVEL: usize = 411;\n${RUST}` },
      { runtime: 'rust', entry: 'main.rs', arch: ['x86_64', 'arm64'] },
    );
    expect(run(root, ['build', '--jobs', '2'])).toMatchObject({ status: 0, stderr: '' });
    for (const [arch, machine] of [
      ['x86_64', 62],
      ['arm64', 183],
    ] as const)
      expect(readElf(contentOf(join(root, `out/solver/${arch}/solver.zip`), 'run'))?.machine).toBe(machine);
    expect(readdirSync(join(root, 'f'))).toEqual(['main.rs']);
  });

  itWith(
    'rustc',
    'cargo',
    'gcc',
  )('are compiled from one file, or with the crates that were locked', () => {
    const crate = gzipSync(
      makeTar([
        { name: 'levels-1.2.0/Cargo.toml', data: '[package]\nname = "levels"\nversion = "1.2.0"\nedition = "2021"\n' },
        { name: 'levels-1.2.0/src/lib.rs', data: 'pub const LEVEL: usize = 411;\n' },
      ]),
    );
    const sha256 = createHash('sha256').update(crate).digest('hex');
    const root = nativeProject(
      {
        'Cargo.toml':
          '[package]\nname = "solver"\nversion = "0.1.0"\nedition = "2021"\n[dependencies]\nlevels = { version = "1", registry = "fernhaven" }\n[profile.release]\nlto = false\n',
        'Cargo.lock': `version = 3\n[[package]]\nname = "levels"\nversion = "1.2.0"\nsource = "registry+https://registry.example/index"\nchecksum = "${sha256}"\n[[package]]\nname = "solver"\nversion = "0.1.0"\ndependencies = ["levels"]\n`,
        '.cargo/config.toml': '[registries.fernhaven]\nindex = "https://registry.example/index"\n',
        'src/main.rs': `use levels::LEVEL;\n${RUST}`,
      },
      { runtime: 'rust', entry: 'src/main.rs', sources: [{ folder: 'crates' }] },
      { 'crates/levels-1.2.0.crate': crate },
    );
    expect(run(root, ['build'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('deps/unlocked') as string,
    });
    expect(run(root, ['lock'])).toMatchObject({ status: 0 });
    expect(readFileSync(join(root, 'emballage.lock'), 'utf8')).toContain(`"sha256":"${sha256}"`);
    build(root);
    expect(entriesOf(join(root, ZIP)).map(({ path }) => path)).toEqual(['run']);
    expect(tryIt(root).calls[0]?.answer.json).toBe('412');
    // What was locked is not fetched by a build, and comes back with the next lock.
    rmSync(join(cachesOf(root), 'emballage/packages'), { recursive: true });
    put(root, { 'f/src/main.rs': `use levels::LEVEL;\n// again\n${RUST}` });
    expect(run(root, ['build'])).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('emballage lock') as string,
    });
    expect(run(root, ['lock'])).toMatchObject({ status: 0 });
    build(root);
    // Another crate under the same name and version.
    put(root, { 'crates/levels-1.2.0.crate': gzipSync(makeTar([])) });
    rmSync(join(cachesOf(root), 'emballage/packages'), { recursive: true });
    expect(run(root, ['lock'])).toMatchObject({ status: 3, stderr: expect.stringContaining('SHA-256') as string });
  });
});

describe('functions in Go', () => {
  itWith('go')('are compiled for both processors with the modules that were locked', () => {
    const mod = 'module tide.example/levels\n\ngo 1.19\n';
    const files = [
      { path: 'tide.example/levels@v1.2.0/go.mod', content: mod },
      { path: 'tide.example/levels@v1.2.0/levels.go', content: 'package levels\n\nconst Level = 411\n' },
    ];
    const sum = (content: string): string => createHash('sha256').update(content).digest('hex');
    const h1 = (lines: readonly string[]): string =>
      `h1:${createHash('sha256').update(lines.join('')).digest('base64')}`;
    const zip = makeZip(files.map(({ path, content }) => ({ name: path, data: content })));
    const goSum = [
      `tide.example/levels v1.2.0 ${h1(files.map(({ path, content }) => `${sum(content)}  ${path}\n`))}`,
      `tide.example/levels v1.2.0/go.mod ${h1([`${sum(mod)}  go.mod\n`])}`,
    ];
    const main =
      'package main\n\nimport (\n\t"bufio"\n\t_ "embed"\n\t"os"\n\t"strconv"\n\n\t"tide.example/levels"\n)\n\n//go:embed base.txt\nvar base string\n\nfunc main() {\n\tfor s := bufio.NewScanner(os.Stdin); s.Scan(); {\n\t\tprintln(base)\n\t\tos.Stdout.WriteString(strconv.Itoa(levels.Level+1) + "\\n")\n\t}\n}\n';
    const root = nativeProject(
      {
        'go.mod': 'module fernhaven.example/solver\n\ngo 1.19\n\nrequire tide.example/levels v1.2.0\n',
        'go.sum': `${goSum.join('\n')}\n`,
        'main.go': main,
        'base.txt': 'inside the executable',
        'beside.txt': 'beside it',
      },
      { runtime: 'go', entry: 'main.go', arch: ['x86_64', 'arm64'], sources: [{ folder: 'proxy' }] },
      { 'proxy/tide.example/levels/@v/v1.2.0.mod': mod, 'proxy/tide.example/levels/@v/v1.2.0.zip': zip },
    );
    expect(run(root, ['lock'])).toMatchObject({ status: 0 });
    build(root);
    expect(entriesOf(join(root, ZIP)).map(({ path }) => path)).toEqual(['beside.txt', 'run']);
    expect(readElf(contentOf(join(root, 'out/solver/arm64/solver.zip'), 'run'))?.machine).toBe(183);
    expect(tryIt(root).calls[0]?.answer.json).toBe('412');
    if (existsSync(`/usr/bin/${EMULATOR}`)) expect(tryIt(root, ['--arch', 'arm64']).calls[0]?.answer.json).toBe('412');
    expect(run(root, ['check'])).toMatchObject({ status: 0 });
  });
});
