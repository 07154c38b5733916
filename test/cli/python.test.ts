import { execFileSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { INTAKE, LEVELS, packageFiles, packageFolder, pythonProject, startTestIndex } from '../support/index';
import { put, run, type Files } from '../support/program';
import { itWithPython } from '../support/python';

interface WaybillFile {
  readonly path: string;
  readonly reason: { readonly why: string; readonly by?: string | readonly string[] };
}

interface Waybill {
  readonly files: readonly WaybillFile[];
  readonly trimmed: readonly { readonly path: string; readonly by: string }[];
  readonly entry: { readonly host: string };
}

const waybillOf = (root: string, arch = 'x86_64') =>
  JSON.parse(readFileSync(join(root, `out/intake/${arch}/intake.waybill.json`), 'utf8')) as Waybill;
const pathsIn = (root: string): string[] => waybillOf(root).files.map(({ path }) => path);
const codesIn = (stdout: string): string[] =>
  [...stdout.matchAll(/^ {2}(stop|warn|note) {2}(\S+)(?: {2}(\S+))?/gm)].map(([, level, rule, where]) =>
    `${level ?? ''} ${rule ?? ''} ${where ?? ''}`.trim(),
  );

const offered = packageFolder(
  packageFiles(
    'levels',
    '1.0',
    {
      'levels/__init__.py': 'from .means import mean\n',
      'levels/means.py': LEVELS,
      'levels/unused.py': 'import os\n',
      'levels/means.pyi': 'def mean(some): ...\n',
      'levels/tests/test_means.py': 'import levels\n',
      'levels/table.csv': '1,2\n',
    },
    { toml: '[project.scripts]\nlevels = "levels.means:mean"\n' },
  ),
  packageFiles('plugs', '1.0', {
    'plugs/__init__.py':
      'from importlib import import_module\n\n\ndef load(name):\n    return import_module(str(name))\n',
    'plugs/one.py': 'import levels\n',
  }),
  packageFiles('clash', '1.0', { 'levels/means.py': 'def mean(some):\n    return 0\n', 'clash.py': '' }),
);

/** Locks and builds; the sheet's keys as given. */
async function built(source: Files, keys: Readonly<Record<string, unknown>>): Promise<string> {
  const { url } = await startTestIndex(offered);
  const root = pythonProject(source, { sources: [{ index: url }], ...keys });
  for (const args of [['lock'], ['build']]) {
    const { status, stderr } = run(root, args);
    expect([status, stderr]).toEqual([0, '']);
  }
  return root;
}

const DIST_INFO = ['METADATA', 'RECORD', 'WHEEL', 'entry_points.txt'].map((name) => `levels-1.0.dist-info/${name}`);
const ARTIFACT = 'out/intake/x86_64/intake.zip';

describe('a Python function', () => {
  itWithPython('is packed with its packages, safely trimmed, and runs from the artifact', async () => {
    const root = await built({ 'intake.py': INTAKE, 'requirements.txt': 'levels\n' }, {});
    expect(pathsIn(root)).toEqual(
      [
        'bin/levels',
        ...DIST_INFO,
        'intake.py',
        'levels/__init__.py',
        'levels/means.py',
        'levels/table.csv',
        'levels/unused.py',
      ].sort(),
    );
    expect(waybillOf(root).trimmed.map(({ path, by }) => [path, by])).toEqual([
      ['levels/means.pyi', 'stubs'],
      ['levels/tests/test_means.py', 'tests'],
    ]);
    expect(waybillOf(root).entry.host).toBe('intake:receive');
    const { status, stdout } = run(root, ['try', 'intake', '--event', 'e.json', '--json'], {});
    expect(status).toBe(2);
    put(root, { 'e.json': '[2, 4]' });
    const tried = JSON.parse(run(root, ['try', 'intake', '--event', 'e.json', '--json']).stdout) as {
      calls: { answer: { json: string } }[];
    };
    expect([JSON.parse(tried.calls[0]?.answer.json ?? ''), stdout]).toEqual([{ mean: 3 }, expect.any(String)]);
  });

  it('keeps, when traced, what is reached, and says through whom', async () => {
    const root = await built(
      { 'intake.py': INTAKE, 'idle.py': '', 'notes.txt': 'n' },
      { needs: ['levels'], trim: 'traced' },
    );
    expect(pathsIn(root)).toEqual(
      [...DIST_INFO, 'intake.py', 'levels/__init__.py', 'levels/means.py', 'levels/table.csv', 'notes.txt'].sort(),
    );
    const reasons = new Map(waybillOf(root).files.map(({ path, reason }) => [path, [reason.why, reason.by]]));
    expect(reasons.get('levels/means.py')).toEqual(['imported', 'levels/__init__.py']);
    expect(reasons.get('levels/table.csv')).toEqual(['beside', 'levels/']);
    const recorded = readFileSync(join(root, ARTIFACT));
    expect(recorded.length).toBeGreaterThan(0);
    const record = execFileSync('unzip', ['-p', join(root, ARTIFACT), 'levels-1.0.dist-info/RECORD'], {
      encoding: 'utf8',
    });
    expect(
      record
        .split('\n')
        .map((row) => row.split(',')[0])
        .filter(Boolean)
        .sort(),
    ).toEqual([...DIST_INFO, 'levels/__init__.py', 'levels/means.py', 'levels/table.csv'].sort());
  });

  it('keeps a package whole where an import cannot be seen, and reports the place', async () => {
    const code = 'import plugs\n\n\ndef receive(event, context):\n    return str(plugs.load("plugs.one"))\n';
    const root = await built({ 'intake.py': code }, { needs: ['plugs', 'levels'], trim: 'traced' });
    expect(pathsIn(root)).toEqual(expect.arrayContaining(['plugs/one.py', 'levels/__init__.py']));
    const { status, stdout } = run(root, ['check']);
    expect([status, codesIn(stdout)]).toEqual([0, ['note deps/unused levels', 'note deps/unseen-import plugs/']]);
    expect(stdout).toContain('plugs/__init__.py:5, `import_module(str(name))`');
  });

  it('follows what names modules without importing them, unless it is to be strict', async () => {
    const files = {
      'intake.py':
        'import importlib\nimport pkgutil\nimport steps\n\nLEVELS = "levels.unused"\n\n\ndef receive(event, context):\n    return [importlib.import_module("steps." + m.name) for m in pkgutil.iter_modules(steps.__path__)]\n',
      'steps/__init__.py': '',
      'steps/one.py': '',
      'side/note.py': '',
      'tests/test_intake.py': '',
    };
    const own = ['steps/one.py', 'side/note.py', 'levels/unused.py', 'plugs/one.py', 'tests/test_intake.py'];
    const packed = async (trim: unknown): Promise<string[]> => {
      const paths = pathsIn(await built(files, { needs: ['levels', 'plugs'], trim }));
      return own.filter((path) => paths.includes(path));
    };
    // Constant beginnings reach what fits; scans keep the function's own code; what is asked for is kept whole.
    expect(await packed('traced')).toEqual(['steps/one.py', 'side/note.py', 'levels/unused.py', 'plugs/one.py']);
    expect(await packed({ traced: 'strict' })).toEqual(['steps/one.py']);
  });

  itWithPython('names the line that brings back what trimming took away', async () => {
    const code = 'def receive(event, context):\n    return eval("__import__(\'levels.unused\')").__name__\n';
    const root = await built({ 'intake.py': code }, { needs: ['levels'], trim: { traced: 'strict' } });
    put(root, { 'e.json': '{}' });
    const failed = run(root, ['try', 'intake', '--event', 'e.json', '--record']);
    expect([failed.status, failed.stdout.includes('keep: ["levels/__init__.py"]')]).toEqual([1, true]);
    const sheet = readFileSync(join(root, 'emballage.yaml'), 'utf8');
    writeFileSync(
      join(root, 'emballage.yaml'),
      sheet.replace('"trim"', '"keep": ["levels/__init__.py", "levels/unused.py"], "trim"'),
    );
    run(root, ['build']);
    expect(run(root, ['try', 'intake', '--event', 'e.json']).status).toBe(0);
  });

  it('stops where two packages bring one file with different content', async () => {
    const root = await built({ 'intake.py': INTAKE }, { needs: ['levels', 'clash'] });
    const { status, stdout } = run(root, ['check']);
    expect([status, codesIn(stdout)]).toEqual([1, ['note deps/unused clash', 'stop deps/overlap levels/means.py']]);
  });

  it('is not built, and does not pass, when requirements and lock disagree', async () => {
    const root = await built({ 'intake.py': INTAKE, 'requirements.txt': 'levels\n' }, {});
    writeFileSync(join(root, 'src/requirements.txt'), 'levels>=1\n');
    const build = run(root, ['build']);
    expect([
      build.status,
      build.stderr.includes('deps/unlocked'),
      build.stderr.includes('emballage.js lock') || build.stderr.includes('emballage lock intake'),
    ]).toEqual([2, true, true]);
    expect(codesIn(run(root, ['check']).stdout)).toEqual(['stop deps/unlocked emballage.lock']);
  });

  itWithPython('gives the same bytes in other surroundings, with bytecode too', async () => {
    const root = await built({ 'intake.py': INTAKE }, { needs: ['levels'], bytecode: true });
    expect(pathsIn(root)).toEqual(
      expect.arrayContaining(['__pycache__/intake.cpython-311.pyc', 'levels/__pycache__/means.cpython-311.pyc']),
    );
    const pyc = execFileSync('unzip', ['-p', join(root, ARTIFACT), '__pycache__/intake.cpython-311.pyc']);
    // PEP 552: hash-based, and not to be checked against the source.
    expect(pyc.readUInt32LE(4)).toBe(1);
    const { status, stdout } = run(root, ['prove']);
    expect([status, stdout.includes('Reproducible:'), stdout.includes('differs')]).toEqual([0, true, false]);
  });

  itWithPython('is called with requests when it is a web application', () => {
    const wsgi =
      'def app(environ, start_response):\n    start_response("201 Made", [("Set-Cookie", "a=1"), ("Set-Cookie", "b=2")])\n    body = environ["wsgi.input"].read()\n    return [environ["PATH_INFO"].encode("latin-1"), b"?", environ["QUERY_STRING"].encode(), b" ", body[::-1], b"\\xff"]\n';
    const asgi =
      'started = []\n\n\nasync def app(scope, receive, send):\n    if scope["type"] == "lifespan":\n        await receive()\n        started.append(1)\n        await send({"type": "lifespan.startup.complete"})\n        return\n    body = (await receive())["body"]\n    await send({"type": "http.response.start", "status": 200, "headers": [(b"x-started", str(len(started)).encode())]})\n    await send({"type": "http.response.body", "body": scope["path"].encode(), "more_body": True})\n    await send({"type": "http.response.body", "body": body})\n';
    const call = (code: string, adapter: string): unknown => {
      const root = pythonProject(
        { 'web.py': code },
        { entry: 'web.py#app', adapter },
        { 'e.json': '{"method":"POST","path":"/p%C3%A9r","query":"q=1","body":"ab"}' },
      );
      run(root, ['build']);
      expect(waybillOf(root).entry.host).toBe('emballage_adapter:handle');
      const { stdout } = run(root, ['try', 'intake', '--event', 'e.json', '--json']);
      return JSON.parse((JSON.parse(stdout) as { calls: { answer: { json: string } }[] }).calls[0]?.answer.json ?? '');
    };
    expect(call(wsgi, 'wsgi')).toEqual({
      status: 201,
      headers: { 'set-cookie': ['a=1', 'b=2'] },
      'body-base64': Buffer.concat([Buffer.from('/pér?q=1 ba'), Buffer.of(0xff)]).toString('base64'),
    });
    expect(call(asgi, 'asgi')).toEqual({ status: 200, headers: { 'x-started': '1' }, body: '/pérab' });
  });
});

describe('check of a Python function', () => {
  const checked = (code: string, keys: Readonly<Record<string, unknown>> = {}, more: Files = {}): string[] => {
    const root = pythonProject({ 'intake.py': code, ...more }, keys);
    expect(run(root, ['build']).status).toBe(0);
    return codesIn(run(root, ['check']).stdout);
  };

  it.each([
    ['def recieve(event, context): pass\n', ['stop entry/missing-member intake.py']],
    ['receive = 3\n', ['stop entry/missing-member intake.py']],
    ['def receive(event): pass\n', ['stop entry/parameters intake.py']],
    ['def receive(event, context, *, deep): pass\n', ['stop entry/parameters intake.py']],
    ['async def receive(event, context=None): pass\n', []],
    ['from other import receive\n', []],
    ['from other import nothing as receive\n', ['stop entry/missing-member intake.py']],
    ['import levls\n\n\ndef receive(e, c): pass\n', ['stop deps/missing intake.py:1']],
    ['try:\n    import levls\nexcept ImportError:\n    pass\n\n\ndef receive(e, c): pass\n', []],
    ['from typing import TYPE_CHECKING\nif TYPE_CHECKING:\n    import levls\n\n\ndef receive(e, c): pass\n', []],
    ['import asyncore\n\n\ndef receive(e, c): pass\n', []],
    ['type X = int\n\n\ndef receive(e, c): pass\n', ['stop runtime/python-version intake.py:1']],
    [
      'import os\nA = os.environ["LEVL"]\n\n\ndef receive(e, c): pass\n',
      ['stop settings/undeclared intake.py:2', 'note settings/unread LEVEL'],
    ],
    [
      'import os\nA = os.getenv("OTHER", "") + os.environ["LEVEL"] + os.environ["HOME"]\n\n\ndef receive(e, c): pass\n',
      ['note settings/undeclared intake.py:2'],
    ],
  ])('finds what would fail: %j', (code, expected) => {
    const settings = code.includes('environ') ? { settings: { LEVEL: { sample: '4' } } } : {};
    expect(checked(code, settings, { 'other.py': 'def receive(e, c): pass\n' })).toEqual(expected);
  });

  it('bears modules that a package makes when it runs, and no others', () => {
    const code = 'import tides.high\n\n\ndef receive(e, c): pass\n';
    const importer = 'import sys\nsys.meta_path.append(object())\n';
    expect(checked(code, {}, { 'tides/__init__.py': '', 'tides/_made.py': importer })).toEqual([]);
    const compiled = { 'tides/__init__.py': '', 'tides/_fast.so': 'PyInit__fast' };
    const deep = code.replace('tides.high', 'tides._fast.deep.high');
    expect(checked(deep, {}, compiled).filter((one) => one.includes('missing'))).toEqual([]);
    expect(checked(code, {}, { 'tides/__init__.py': '', 'tides/_made.py': '' })).toEqual([
      'stop deps/missing intake.py:1',
    ]);
  });

  it('finds compiled files for another processor, and a C library that is too new', () => {
    const elf = (machine: number, glibc: string): Buffer => {
      const text = Buffer.from(`\0libc.so.6\0GLIBC_${glibc}\0`);
      const bytes = Buffer.alloc(0x200);
      bytes.write('\x7fELF\x02\x01\x01', 0, 'latin1');
      for (const [at, value] of [
        [16, 3],
        [18, machine],
        [54, 56],
        [56, 2],
      ] as const)
        bytes.writeUInt16LE(value, at);
      bytes.writeBigUInt64LE(64n, 32);
      const segment = (at: number, type: number, offset: number, size: number): void => {
        bytes.writeUInt32LE(type, at);
        for (const [field, value] of [
          [8, offset],
          [16, offset],
          [32, size],
        ] as const)
          bytes.writeBigUInt64LE(BigInt(value), at + field);
      };
      segment(64, 1, 0, 0x200);
      segment(120, 2, 0xc0, 0x50);
      // DT_STRTAB, DT_STRSZ, DT_VERNEED, DT_VERNEEDNUM
      for (const [i, [tag, value]] of (
        [
          [5, 0x140],
          [10, text.length],
          [0x6ffffffe, 0x120],
          [0x6fffffff, 1],
        ] as const
      ).entries()) {
        bytes.writeBigUInt64LE(BigInt(tag), 0xc0 + i * 16);
        bytes.writeBigUInt64LE(BigInt(value), 0xc8 + i * 16);
      }
      bytes.writeUInt16LE(1, 0x120);
      bytes.writeUInt16LE(1, 0x122);
      bytes.writeUInt32LE(1, 0x124);
      bytes.writeUInt32LE(16, 0x128);
      bytes.writeUInt32LE(11, 0x138);
      text.copy(bytes, 0x140);
      return bytes;
    };
    const code = 'def receive(e, c): pass\n';
    expect(checked(code, {}, { 'good.so': elf(62, '2.17') })).toEqual([]);
    expect(checked(code, {}, { 'a.so': elf(183, '2.17') })).toEqual(['stop arch/native-file a.so']);
    expect(checked(code, {}, { 'b.so': elf(62, '2.38') })).toEqual(['stop runtime/glibc b.so']);
    expect(checked(code, {}, { 'c.so': elf(62, '2.38').subarray(0, 0x140) })).toEqual(['stop arch/native-file c.so']);
  });
});
