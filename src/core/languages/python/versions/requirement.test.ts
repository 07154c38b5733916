import { OWN_SHAPE } from '../../../events';
import { markerEnvironment } from './environment';
import { holds } from './marker';
import { readPyproject, buildSystemOf } from '../locks/pyproject';
import { formatPylock, readPylock } from '../locks/pylock';
import { formatRequirement, parseRequirement } from './requirement';
import { readRequirementsFile } from '../locks/requirements-txt';
import { adapterCode } from '../assemble/adapter';

const target = { arch: 'arm64', python: '3.11', glibc: '2.36' } as const;

const normal = (text: string): string => {
  const reading = parseRequirement(text);
  return reading.kind === 'requirement'
    ? formatRequirement(reading.requirement)
    : `${String(reading.fault.column)}: ${reading.fault.expected}, not ${reading.fault.found}`;
};

describe('a requirement', () => {
  it.each([
    ['Levels', 'levels'],
    ['A.b_C [X-y, a] >= 1.0 , != 2.*', 'a-b-c[a,x-y]>=1.0,!=2.*'],
    ['a(>=1,<2)', 'a>=1,<2'],
    ['a @ https://files.example/a.whl ; python_version < "4"', 'a @ https://files.example/a.whl'],
    ['a; os_name == "posix" and (extra == "b" or "c" in platform_version)', 'a'],
    ['', '1: the name of a package, not the end'],
    ['a>>1', '2: a version specifier such as `>=1.2`, not `>>1`'],
    ['a[b', '4: `,` or `]` after an extra, not the end'],
    ['a; python < "3"', '4: a marker name such as `python_version`, or a text in quotes, not `python < "3"`'],
    ['a; python_version "3"', '19: an operator such as `>=`, `==` or `in`, not `"3"`'],
    ['a; (python_version > "3"', '25: `)`, `and` or `or`, not the end'],
    ['a (>=1', '7: `)`, not the end'],
  ])('%j is %s', (text, expected) => {
    expect(normal(text)).toBe(expected);
  });

  it('does not nest without end', () => {
    expect(normal(`a; ${'('.repeat(5000)}`)).toMatch(/at most 50 parentheses/);
  });

  it('holds for the target, whatever this machine is', () => {
    const environment = markerEnvironment(target);
    const test = (marker: string, extras: string[] = []): boolean => {
      const reading = parseRequirement(`a; ${marker}`);
      if (reading.kind === 'fault' || reading.requirement.marker === undefined) throw new Error(marker);
      return holds(reading.requirement.marker, environment, extras);
    };
    expect([
      test('platform_machine == "aarch64"'),
      test('python_version >= "3.9" and python_version < "3.10"'),
      test('python_full_version >= "3.11.4"'),
      test('sys_platform != "linux" or implementation_name == "cpython"'),
      test('extra == "Sea_Side"', ['sea-side']),
      test('extra == "sea"'),
      test('"nux" in sys_platform'),
      test('sys.platform == "linux"'),
      test('platform_release >= "5"'),
      test('python_version not in "3.9 3.10"'),
    ]).toEqual([true, false, true, true, true, false, true, true, false, true]);
  });
});

describe('files that state requirements', () => {
  it('are followed into others, each once, and links are kept', () => {
    const files: Record<string, string> = {
      'a/r.txt': '-r b.txt\n-r ../c.txt\n--find-links ../wheels\n-f https://links.example/page\nlevels # why\n',
      'a/b.txt':
        '-r r.txt\ndatum>=1 \\\n  --hash=sha256:' + 'a'.repeat(64) + ' \\\n  --hash sha256:' + 'b'.repeat(64) + '\n',
      'c.txt': '--constraint a/limits.txt\n--only-binary :all:\n',
      'a/limits.txt': 'datum<2\n',
    };
    const reading = readRequirementsFile({ path: 'a/r.txt', read: (path) => files[path] ?? '', shown: (path) => path });
    expect(reading.problems).toEqual([]);
    expect(reading.links).toEqual(['wheels', 'https://links.example/page']);
    expect(
      reading.stated.map(({ requirement, by, isConstraint, hashes }) => [
        requirement.name,
        by,
        isConstraint ?? false,
        hashes?.length,
      ]),
    ).toEqual([
      ['datum', 'a/b.txt:2', false, 2],
      ['datum', 'a/limits.txt:1', true, 0],
      ['levels', 'a/r.txt:5', false, 0],
    ]);
  });

  it('that leave the project are refused', () => {
    const { problems } = readRequirementsFile({
      path: 'r.txt',
      read: () => '-r ../x.txt\n-r https://x.example/r.txt\n-f ../../w\n',
      shown: (path) => path,
    });
    expect(problems.map(({ place }) => place.line)).toEqual([1, 2, 3]);
  });

  it('in TOML tell each mistake with its place', () => {
    const read = (text: string, groups: string[] = []) =>
      readPyproject({ text, path: 'p.toml', shown: 'p.toml', groups });
    expect(read('[project\n').problems[0]?.place.line).toBe(1);
    expect(
      read('[project]\nname = "x"\ndependencies = [\n  "a>=1",\n  "b>>1",\n]\n').problems.map(
        ({ place }) => place.line,
      ),
    ).toEqual([5]);
    expect(read('[project]\ndynamic = ["dependencies"]\n').problems[0]?.expected).toContain('stand in the file');
    expect(read('[dependency-groups]\na = [{ include-group = "a" }]\n', ['a']).problems).toHaveLength(1);
    expect(read('[project]\ndependencies = "a"\n').problems).toHaveLength(1);
    expect(read('[project]\n', ['nope']).problems[0]?.found).toBe('`nope`');
    expect(read('[project]\ndependencies = ["a", "b @ https://x.example/b.whl"]\n')).toMatchObject({
      stated: [{ by: 'p.toml:2' }],
      problems: [{}],
    });
  });

  it('say what builds a source distribution', () => {
    expect(buildSystemOf('').backend).toBe('setuptools.build_meta:__legacy__');
    expect(buildSystemOf('[build-system]\nrequires = ["a"]\nbuild-backend = "b:c"\nbackend-path = ["."]\n')).toEqual({
      requires: ['a'],
      backend: 'b:c',
      backendPath: ['.'],
    });
  });
});

describe('pylock.toml', () => {
  const url = 'https://files.example/levels-1.0-py3-none-any.whl';
  const wheel = { file: 'levels-1.0-py3-none-any.whl', from: url, size: 3, sha256: 'c'.repeat(64) };
  const facts = {
    requiresPython: '==3.11.*',
    packages: [
      { name: 'levels', version: '1.0', wheels: [wheel] },
      {
        name: 'near',
        version: '2',
        marker: "platform_machine == 'x86_64'",
        wheels: [{ ...wheel, from: 'wheels/n.whl' }],
      },
    ],
  };

  it('is written the same each time, and read back', () => {
    const text = formatPylock(facts);
    expect([formatPylock(facts), text.includes('path = "wheels/n.whl"')]).toEqual([text, true]);
    const { from, ...rest } = wheel;
    expect(readPylock(text, 'pylock.toml', markerEnvironment(target))).toEqual({
      packages: [{ name: 'levels', version: '1.0', files: [{ ...rest, url: from }] }],
      problems: [],
    });
  });

  it('is held to its markers and to what can be installed', () => {
    const text =
      'lock-version = "1.0"\n[[packages]]\nname = "a"\nversion = "1"\nmarker = "sys_platform == \'win32\'"\n[[packages]]\nname = "b"\nversion = "1"\n[[packages]]\nversion = "1"\n';
    const { packages, problems } = readPylock(text, 'pylock.toml', markerEnvironment(target));
    expect([packages, problems.map(({ found }) => found)]).toEqual([
      [],
      ['b without wheels from an address', 'a package without a name'],
    ]);
    expect(readPylock('lock-version = "2.0"', 'p', markerEnvironment(target)).problems[0]?.found).toBe('`2.0`');
  });
});

it('an adapter names its application, and is nothing but Python', () => {
  const code = adapterCode(
    'asgi',
    { text: 'web/app.py#application', file: 'web/app.py', member: 'application' },
    { shape: OWN_SHAPE, isData: true },
  );
  expect(code).toContain('from web.app import application\n');
  expect(code).not.toMatch(/\{\{|\{(?:module|top|member|shared|most|shape|data)\}/);
});
