import { contentDigest } from '../../../disk/digest';
import type { ClassFacts } from './class-facts';
import { mergeJars, type MergeInput, type Merged, type MergeRequest } from './merge';
import { traceClasses } from './trace-classes';

/** A prepared JAR of texts. */
function input(owner: string, files: Readonly<Record<string, string>>): MergeInput {
  const entries = Object.entries(files).map(([path, text]) => ({
    path,
    from: path,
    sha256: contentDigest(text),
    size: text.length,
    crc32: 0,
    method: 0,
    at: 0,
    length: text.length,
  }));
  const jar = { entries, isMultiRelease: false };
  return { jar, owner, version: owner === '' ? '' : '1', read: ({ path }) => Buffer.from(files[path] ?? '') };
}

function merge(inputs: readonly MergeInput[], more: Partial<MergeRequest> = {}): Merged {
  return mergeJars({ inputs, append: [], trim: 'safe', arch: 'arm64', keptBy: () => undefined, ...more });
}

const paths = ({ entries }: Merged): string[] => entries.map(({ path }) => path);

describe('many JARs', () => {
  it('become one: the first of each name counts, and who loses with other content is told', () => {
    const merged = merge([
      input('', { 'a/A.class': 'own' }),
      input('g:one', { 'a/A.class': 'other', 'b/B.class': 'same', 'x.txt': '1' }),
      input('g:two', { 'b/B.class': 'same', 'x.txt': '2' }),
    ]);
    expect(paths(merged)).toEqual(['a/A.class', 'b/B.class', 'x.txt']);
    expect(merged.overlaps).toEqual([
      { path: 'a/A.class', kept: 'the function', dropped: 'g:one 1' },
      { path: 'x.txt', kept: 'g:one 1', dropped: 'g:two 1' },
    ]);
  });

  it('have their services merged, their licences gathered, and joined what is asked to be', () => {
    const merged = merge(
      [
        input('g:one', { 'META-INF/services/s.S': 'a.A\n', 'META-INF/LICENSE': 'free', 'conf/x.list': 'one' }),
        input('g:two', {
          'META-INF/services/s.S': 'b.B\na.A\n',
          LICENSE: 'free',
          'META-INF/NOTICE.txt': 'two',
          'conf/x.list': 'two\n',
        }),
      ],
      { append: ['conf/*.list'] },
    );
    expect(paths(merged)).toEqual(['META-INF/licenses/one-1/LICENSE', 'META-INF/licenses/two-1/NOTICE.txt']);
    const owners = ['g:one', 'g:two'];
    expect(merged.joined).toEqual([
      { path: 'META-INF/services/s.S', content: Buffer.from('a.A\nb.B\n'), owners, by: 'merging g:one 1, g:two 1' },
      { path: 'conf/x.list', content: Buffer.from('one\ntwo\n'), owners, by: 'merging g:one 1, g:two 1' },
    ]);
    expect(merged.overlaps).toEqual([]);
  });

  it('lose what is for other processors and systems, unless it is kept or nothing is to go', () => {
    const files = {
      'n/linux-aarch_64/l.so': '',
      'n/linux-x86_64/l.so': '',
      'n/windows/l.dll': '',
      'n/l.so': '',
      'META-INF/maven/p': '',
    };
    expect(paths(merge([input('g:one', files)]))).toEqual(['n/l.so', 'n/linux-aarch_64/l.so']);
    expect(paths(merge([input('g:one', files)], { trim: 'off' }))).toHaveLength(5);
    const kept = merge([input('g:one', files)], {
      keptBy: (path) => (path.includes('windows') ? 'n/windows/**' : undefined),
    });
    expect(paths(kept)).toContain('n/windows/l.dll');
    expect(kept.trimmed.map(({ by }) => by).sort()).toEqual(['build-files', 'other-platform']);
  });
});

describe('tracing classes', () => {
  const facts = (name: string, more: Partial<ClassFacts> = {}): ClassFacts => ({
    name,
    super: 'java/lang/Object',
    interfaces: [],
    major: 61,
    access: 1,
    refs: [],
    texts: [],
    services: [],
    unseen: [],
    settings: [],
    ...more,
  });
  const trace = (
    classes: readonly [ClassFacts, string][],
    more: {
      services?: [string, string[]][];
      resources?: [string, string][];
      descriptors?: string[];
      names?: Record<string, string[]>;
    } = {},
  ) =>
    traceClasses({
      classes: new Map(classes.map(([one, owner]) => [one.name, { facts: one, owner }])),
      roots: [{ name: 'a/Main', reason: { why: 'entry' } }],
      services: new Map(more.services ?? []),
      resources: new Map(more.resources ?? []),
      descriptors: new Set(more.descriptors ?? []),
      namesIn: (path) => more.names?.[path] ?? [],
      pathOf: (name) => `${name}.class`,
    });

  it('follows types, constant texts, and providers of services in use, those of the JDK by their package', async () => {
    const found = await trace(
      [
        [facts('a/Main', { refs: ['b/Used', 'java/sql/Connection'], texts: ['b.Named'] }), ''],
        [facts('b/Used'), 'g:b'],
        [facts('b/Named'), 'g:b'],
        [facts('b/Unused'), 'g:b'],
        [facts('d/Driver'), 'g:d'],
        [facts('p/Processor'), 'g:p'],
      ],
      {
        services: [
          ['java/sql/Driver', ['d/Driver']],
          ['javax/annotation/processing/Processor', ['p/Processor']],
        ],
      },
    );
    expect([...found.classes.keys()].sort()).toEqual(['a/Main', 'b/Named', 'b/Used', 'd/Driver']);
    expect([...found.services]).toEqual(['java/sql/Driver']);
  });

  it('follows what descriptors name, and files that code asks for, but no others', async () => {
    const found = await trace(
      [
        [facts('a/Main', { texts: ['plugins.xml'] }), ''],
        [facts('c/Named'), 'g:c'],
        [facts('c/Wired'), 'g:c'],
        [facts('c/Unused'), 'g:c'],
      ],
      {
        resources: ['plugins.xml', 'beans.xml', 'notes.txt'].map((path): [string, string] => [path, '']),
        descriptors: ['beans.xml'],
        names: { 'plugins.xml': ['c.Named'], 'beans.xml': ['c.Wired'], 'notes.txt': ['c.Unused'] },
      },
    );
    expect([...found.classes.keys()].sort()).toEqual(['a/Main', 'c/Named', 'c/Wired']);
  });

  it('keeps a JAR whole that looks classes up by names that cannot be seen, and reads its files for names', async () => {
    const found = await trace(
      [
        [facts('a/Main', { refs: ['b/Loader'] }), ''],
        [facts('b/Loader', { unseen: [{ method: 'load', line: 7, what: 'Class.forName' }] }), 'g:b'],
        [facts('b/Other'), 'g:b'],
        [facts('c/Plugin'), 'g:c'],
        [facts('c/Unused'), 'g:c'],
      ],
      { resources: [['plugins.list', 'g:b']], names: { 'plugins.list': ['c.Plugin', 'no.Such'] } },
    );
    expect([...found.classes.keys()].sort()).toEqual(['a/Main', 'b/Loader', 'b/Other', 'c/Plugin']);
    expect(found.unseen).toEqual([
      { file: 'b/Loader.class', line: 7, what: 'b.Loader.load: Class.forName', kept: 'g:b' },
    ]);
    expect(found.classes.get('c/Plugin')).toEqual({ why: 'named', by: 'plugins.list' });
  });
});
