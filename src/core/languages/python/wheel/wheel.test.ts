import { codeOf } from '../../../../../test/support/data';
import { projectFor } from '../sources/candidates';
import { readEntryPoints } from './install';
import { parseMetadata } from './metadata';
import { formatRecord, readRecord } from './record';
import { safeRuleFor } from '../assemble/trim-safe';
import { isStandardModule } from '../view/stdlib';
import { readPage } from '../sources/index-pages';

describe('RECORD', () => {
  it('is read and written with quotes where a path needs them', () => {
    const rows = [{ path: 'a,"b".py', sha256: 'ab'.repeat(32), size: 3 }, { path: 'x.dist-info/RECORD' }];
    const text = formatRecord(rows);
    expect(text.split('\n')[0]).toMatch(/^"a,""b"".py",sha256=[\w-]{43},3$/);
    expect(readRecord(text).map(({ path, size }) => [path, size])).toEqual([
      ['a,"b".py', 3],
      ['x.dist-info/RECORD', undefined],
    ]);
    expect(readRecord('a.py,sha256=x=,1\r\nb.py,,\r\n').map(({ path, digest }) => [path, digest])).toEqual([
      ['a.py', 'x'],
      ['b.py', undefined],
    ]);
  });
});

describe('metadata', () => {
  it('is read from headers, with lines that go on', () => {
    const text =
      'Name: Levels\nVersion: 1.0\nRequires-Dist: datum>=1;\n  python_version < "4"\nProvides-Extra: sea\nDescription: x\n\nName: body\n';
    expect(parseMetadata(text)).toMatchObject({
      name: 'Levels',
      requires: ['datum>=1; python_version < "4"'],
      extras: ['sea'],
    });
    expect(parseMetadata('Version: 1\n')).toBeUndefined();
  });

  it('has entry points', () => {
    expect(readEntryPoints('[a.b]\nx = m.n:f.g [extra]\n# no\n[c]\ny=z\n')).toEqual([
      { group: 'a.b', name: 'x', target: 'm.n:f.g' },
      { group: 'c', name: 'y', target: 'z' },
    ]);
  });
});

describe('the candidates of a project', () => {
  const target = { arch: 'arm64', python: '3.11', glibc: '2.31' } as const;
  const files = (...names: string[]) => names.map((file) => ({ file, url: `https://files.example/${file}` }));
  const chosen = (...names: string[]) =>
    projectFor('levels', files(...names), target).candidates.map(({ file }) => file.file);

  it('are each version’s best wheel, newest first', () => {
    expect(
      chosen(
        'levels-1.0-py3-none-any.whl',
        'levels-2.0-py3-none-any.whl',
        'levels-2.0-cp311-cp311-manylinux_2_28_aarch64.whl',
        'levels-2.0-cp39-abi3-manylinux2014_aarch64.whl',
        'levels-2.0-cp311-cp311-manylinux_2_35_aarch64.whl',
        'levels-10.0-2-py3-none-any.whl',
        'levels-10.0-10-py3-none-any.whl',
        'other-3.0-py3-none-any.whl',
      ),
    ).toEqual([
      'levels-10.0-10-py3-none-any.whl',
      'levels-2.0-cp311-cp311-manylinux_2_28_aarch64.whl',
      'levels-1.0-py3-none-any.whl',
    ]);
  });

  it('leave out what the target cannot use, and say why', () => {
    const project = projectFor(
      'levels',
      [
        { file: 'levels-5.0-py3-none-any.whl', url: 'https://files.example/a', requiresPython: '>=3.12' },
        ...files(
          'levels-4.0-cp312-cp312-manylinux2014_aarch64.whl',
          'levels-3.0-cp311-cp311-win_amd64.whl',
          'levels-2.0.tar.gz',
        ),
      ],
      target,
    );
    expect(project.unusable.map(({ version, why }) => `${version.text} ${why}`)).toEqual([
      '5.0 wants Python >=3.12',
      '4.0 has wheels for cp312, none for cp311',
      '3.0 has no wheel for arm64 with this C library',
      '2.0 has only a source distribution',
    ]);
  });
});

describe('a page of an index', () => {
  it('says the same in JSON and in HTML', () => {
    const sha256 = 'c'.repeat(64);
    const page = (contentType: string, text: string) =>
      readPage({ bytes: Buffer.from(text), contentType, url: 'https://index.example/simple/levels/' }, 'reading');
    const json = page(
      'application/vnd.pypi.simple.v1+json',
      JSON.stringify({
        meta: { 'api-version': '1.1' },
        files: [
          {
            filename: 'l.whl',
            url: '../../f/l.whl',
            hashes: { sha256 },
            'requires-python': '>=3',
            yanked: 'bad',
            'core-metadata': { sha256 },
          },
          { filename: 'x', url: 'data:x' },
          7,
        ],
      }),
    );
    const html = page(
      'text/html; charset=utf-8',
      `<base href="/simple/levels/"><a href="../../f/l.whl#sha256=${sha256}" data-requires-python="&gt;=3" data-yanked="bad" data-dist-info-metadata="sha256=${sha256}">l.whl</a><a>none</a>`,
    );
    const expected = [
      {
        file: 'l.whl',
        url: 'https://index.example/f/l.whl',
        sha256,
        requiresPython: '>=3',
        yanked: 'bad',
        metadata: sha256,
      },
    ];
    expect([json, html]).toEqual([expected, expected]);
    expect(codeOf(() => page('image/png', ''))).toBe('SOURCE_INVALID');
    expect(codeOf(() => page('application/json', '{"meta":{"api-version":"2.0"},"files":[]}'))).toBe('SOURCE_INVALID');
  });
});

describe('safe trimming', () => {
  const siblings = new Set([
    'p/a.pyx',
    'p/a.c',
    'p/b.c',
    'p/c.cpp',
    'p/c.cpython-311-x86_64-linux-gnu.so',
    'p/docs/x.md',
    'p/doc/__init__.py',
    'p/doc/x.md',
  ]);
  it.each([
    ['p/tests/test_a.py', 'tests'],
    ['p/test.py', undefined],
    ['p/q/tests/deep/test_a.py', undefined],
    ['p/include/p/a.h', 'compiled-sources'],
    ['p/src/p/a.cc', 'compiled-sources'],
    ['p/a.pyi', 'stubs'],
    ['p/__pycache__/a.pyc', 'caches'],
    ['p/a.c', 'compiled-sources'],
    ['p/b.c', undefined],
    ['p/c.cpp', 'compiled-sources'],
    ['p/x.dll', 'other-platforms'],
    ['p/docs/x.md', 'docs'],
    ['p/doc/x.md', undefined],
    ['p-1.dist-info/licenses/tests/LICENSE', undefined],
    ['p/tests/LICENSE.txt', undefined],
  ])('of %s', (path, expected) => {
    expect(safeRuleFor({ path, siblings, usedTests: new Set(['p/q/tests']) })).toBe(expected);
  });
});

it('keeps a stub that the module beside it reads', () => {
  const subject = { path: 'p/a.pyi', siblings: new Set<string>(), usedTests: new Set<string>() };
  expect([safeRuleFor({ ...subject, isStubRead: true }), safeRuleFor(subject)]).toEqual([undefined, 'stubs']);
});

it('knows the standard library of each version', () => {
  const has = (name: string): boolean[] => ['3.9', '3.11', '3.13'].map((python) => isStandardModule(name, python));
  expect([has('json'), has('asyncore'), has('tomllib'), has('levels'), has('constructor')]).toEqual([
    [true, true, true],
    [true, true, false],
    [false, true, true],
    [false, false, false],
    [false, false, false],
  ]);
});
