import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { FIXTURES } from '../../../../../test/support/jvm';
import { effectivePom, type PomSurroundings } from './effective';
import { readPom, type Coordinates } from './pom';
import { resolveArtifacts, type Resolution } from './resolve';
import { compareVersions, parseWish } from './version';

describe('versions', () => {
  const rows = JSON.parse(readFileSync(join(FIXTURES, 'versions.json'), 'utf8')) as [string, string][];

  it('are ordered as Maven orders them', () => {
    for (const [version, row] of rows)
      rows.forEach(([other], i) => {
        const order = compareVersions(version, other);
        expect(`${version} ${order < 0 ? '<' : order > 0 ? '>' : '='} ${other}`).toBe(
          `${version} ${row[i] ?? ''} ${other}`,
        );
      });
  });

  it.each([
    ['[1.0,2.0)', ['1.0', '1.9.9', '2.0-rc1'], ['0.9', '2.0', '2.1']],
    ['(,1.0]', ['0.1', '1.0'], ['1.0.1']],
    ['[1.5]', ['1.5', '1.5.0'], ['1.6']],
    ['[1,2),[3,)', ['1.4', '3', '99'], ['2', '2.9']],
  ])('are held against ranges: %s', (text, inside, outside) => {
    const wish = parseWish(text);
    if (wish?.kind !== 'range') throw new Error('no range');
    expect(inside.filter((one) => !wish.allows(one))).toEqual([]);
    expect(outside.filter((one) => wish.allows(one))).toEqual([]);
  });

  it.each(['[2,1]', '[1', '1,2]', '(1)', '[]', '', '[1,2],x'])('refuses what is no range: %s', (text) => {
    expect(parseWish(text)).toBeUndefined();
  });
});

/** POMs by `artifact:version`, all of one group. */
type Poms = Readonly<Record<string, string>>;

const dependency = (id: string, more = ''): string => {
  const [artifact = '', version = ''] = id.split(':');
  const stated = version === '' ? '' : `<version>${version}</version>`;
  return `<dependency><groupId>g</groupId><artifactId>${artifact}</artifactId>${stated}${more}</dependency>`;
};
const pom = (id: string, body = ''): string => {
  const [artifact = '', version = ''] = id.split(':');
  return `<project><groupId>g</groupId><artifactId>${artifact}</artifactId><version>${version}</version>${body}</project>`;
};
const needs = (...ids: string[]): string =>
  `<dependencies>${ids.map((id) => (id.startsWith('<') ? id : dependency(id))).join('')}</dependencies>`;
const managing = (...ids: string[]): string => `<dependencyManagement>${needs(...ids)}</dependencyManagement>`;

function surroundings(poms: Poms, java = 17): PomSurroundings {
  const load = ({ artifact, version }: Coordinates): Promise<{ pom: ReturnType<typeof readPom>; shown: string }> => {
    const id = `${artifact}:${version}`;
    const body = poms[id];
    if (body === undefined) return Promise.reject(new Error(`no ${id}`));
    return Promise.resolve({ pom: readPom(body.startsWith('<project') ? body : pom(id, body), id), shown: id });
  };
  return { load, java, arch: 'x86_64' };
}

async function resolve(root: string, poms: Poms, versions: readonly string[] = []): Promise<Resolution> {
  const around = surroundings(poms);
  const own = await effectivePom({ pom: readPom(pom('root:1', root), 'pom.xml'), shown: 'pom.xml' }, around);
  return resolveArtifacts({
    name: 'root',
    direct: own.dependencies,
    managed: own.managed,
    load: async (one) => effectivePom(await around.load(one), around),
    versionsOf: () => Promise.resolve(versions),
  });
}

const names = ({ artifacts }: Resolution, isProvided = false): string[] =>
  artifacts
    .filter((one) => one.isProvided === isProvided)
    .map(({ artifact, version, classifier }) => `${artifact}:${version}${classifier === '' ? '' : `:${classifier}`}`);

describe('dependencies', () => {
  it('are settled by the nearest, then by the first, and what is overridden is told with both chains', async () => {
    const result = await resolve(needs('a:1', 'b:1'), {
      'a:1': needs('c:1'),
      'b:1': needs('d:2', 'e:2'),
      'c:1': needs('d:1'),
      'd:2': '',
      'e:2': '',
    });
    expect(names(result)).toEqual(['a:1', 'b:1', 'c:1', 'd:2', 'e:2']);
    expect(result.overridden).toEqual([
      {
        name: 'g:d',
        version: '1',
        chain: ['root', 'g:a:1', 'g:c:1', 'g:d:1'],
        used: '2',
        usedChain: ['root', 'g:b:1', 'g:d:2'],
      },
    ]);
  });

  it('leave out what is optional, provided, for tests, excluded, or stated with such a scope directly', async () => {
    const result = await resolve(
      needs(
        dependency(
          'a:1',
          '<exclusions><exclusion><groupId>g</groupId><artifactId>gone</artifactId></exclusion></exclusions>',
        ),
        dependency('t:1', '<scope>test</scope>'),
        dependency('p:1', '<scope>provided</scope>'),
      ),
      {
        'a:1': needs(
          'gone:1',
          'p:2',
          dependency('o:1', '<optional>true</optional>'),
          dependency('r:1', '<scope>runtime</scope>'),
          dependency('x:1', '<scope>test</scope>'),
          dependency('j:1', '<type>test-jar</type>'),
          dependency('s:1', '<classifier>linux</classifier>'),
        ),
        't:1': needs('only-tests:1'),
        'only-tests:1': '',
        'p:1': '',
        'r:1': '',
        'j:1': '',
        's:1': '',
      },
    );
    expect(names(result)).toEqual(['a:1', 'r:1', 'j:1:tests', 's:1:linux']);
    // What is provided is there to compile against.
    expect(names(result, true)).toEqual(['p:1']);
  });

  it('take versions from parents, properties, managed lists and imported ones', async () => {
    const result = await resolve(
      managing(dependency('bom:1', '<type>pom</type><scope>import</scope>'), 'deep:7') + needs('a:1', 'listed'),
      {
        'bom:1': managing('listed:3', 'deep:1'),
        'a:1':
          '<project><parent><groupId>g</groupId><artifactId>up</artifactId><version>2</version></parent><artifactId>a</artifactId><version>1</version><dependencies><dependency><groupId>${project.groupId}</groupId><artifactId>b</artifactId><version>${b.version}</version></dependency><dependency><groupId>g</groupId><artifactId>managed</artifactId></dependency></dependencies></project>',
        'up:2': `<properties><b.version>\${number}.5</b.version><number>4</number></properties>${managing('managed:9')}`,
        'b:4.5': needs('deep:2'),
        'managed:9': '',
        'listed:3': '',
        'deep:7': '',
      },
    );
    expect(names(result)).toEqual(['a:1', 'listed:3', 'b:4.5', 'managed:9', 'deep:7']);
  });

  it('follow profiles of the target, and no others', async () => {
    const profile = (activation: string, id: string): string =>
      `<profile><activation>${activation}</activation>${needs(id)}</profile>`;
    const profiles = [
      profile('<jdk>[11,)</jdk>', 'yes:1'),
      profile('<jdk>1.8</jdk>', 'no:1'),
      profile('<os><family>windows</family></os>', 'no:2'),
      profile('<os><family>unix</family><arch>amd64</arch></os>', 'yes:2'),
      profile('<property><name>!quick</name></property>', 'slow:1'),
      profile('<property><name>quick</name></property>', 'no:3'),
      profile('<activeByDefault>true</activeByDefault>', 'no:4'),
    ];
    const result = await resolve(needs('a:1'), {
      'a:1': `<profiles>${profiles.join('')}</profiles>`,
      'yes:1': '',
      'yes:2': '',
      'slow:1': '',
    });
    // Of one artifact the first profile that states it counts.
    expect(names(result)).toEqual(['a:1', 'yes:1', 'slow:1']);
  });

  it('fit all ranges, whichever is met first', async () => {
    const poms = { 'a:1': needs('c:[1,3)'), 'b:1': needs('c:2.1'), 'c:2.1': '', 'c:2.9': '', 'd:1': needs('c:(,2.5]') };
    expect(names(await resolve(needs('a:1'), poms, ['1.0', '2.1', '2.9', '3.0']))).toContain('c:2.9');
    expect(names(await resolve(needs('a:1', 'd:1'), poms, ['1.0', '2.1', '2.9', '3.0']))).toContain('c:2.1');
    expect(names(await resolve(needs('b:1', 'a:1'), poms, []))).toContain('c:2.1');
  });

  it.each<[string, string, Poms, string]>([
    ['a range that nothing fits', needs('c:[5,6)'), {}, 'none of them in `[5,6)` (root)'],
    ['a snapshot', needs('c:1-SNAPSHOT'), {}, 'which is another file tomorrow'],
    ['an undefined property', needs('c:${nobody}'), {}, 'nothing that defines it'],
    [
      'a property that is itself',
      `<properties><v>\${v}</v></properties>${needs('c:${v}')}`,
      {},
      'one that is defined by itself',
    ],
    ['no version at all', needs('c'), {}, 'none, and nothing that manages it'],
    [
      'parents without end',
      needs('a:1'),
      {
        'a:1':
          '<project><parent><groupId>g</groupId><artifactId>a</artifactId><version>1</version></parent><artifactId>a</artifactId></project>',
      },
      '`g:a:1`, which is below it already',
    ],
    [
      'imports that go round in a circle',
      managing(dependency('bom:1', '<type>pom</type><scope>import</scope>')),
      { 'bom:1': managing(dependency('bom:1', '<type>pom</type><scope>import</scope>')) },
      'which imports this one',
    ],
  ])('are refused with %s', async (_name, root, poms, found) => {
    await expect(resolve(root, poms, ['1.0', '2.0'])).rejects.toMatchObject({
      facts: { found: expect.stringContaining(found) as unknown },
    });
  });

  it('are taken from where they have moved to', async () => {
    const moved =
      '<distributionManagement><relocation><artifactId>new</artifactId></relocation></distributionManagement>';
    const result = await resolve(needs('a:1'), {
      'a:1': needs('old:1'),
      'old:1': moved,
      'new:1': needs('b:1'),
      'b:1': '',
    });
    expect(names(result)).toEqual(['a:1', 'new:1', 'b:1']);
    expect(result.artifacts[1]?.chain).toEqual(['root', 'g:a:1', 'g:old:1', 'g:new:1']);
    const back = moved.replace('new', 'old');
    await expect(resolve(needs('old:1'), { 'old:1': moved, 'new:1': back })).rejects.toThrow('moved round in a circle');
  });

  it('end even where they go round in a circle', async () => {
    expect(names(await resolve(needs('a:1'), { 'a:1': needs('b:1'), 'b:1': needs('a:1') }))).toEqual(['a:1', 'b:1']);
  });
});

describe('reading a POM', () => {
  it.each([
    [
      '<!DOCTYPE x [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;">]><project><artifactId>&b;</artifactId></project>',
      'a document type',
    ],
    ['<html><body>not found</body></html>', 'a web page'],
    ['<project><artifactId>a</artifactId>', 'unclosed tag'],
    ['<project><groupId>g</groupId></project>', 'no `artifactId`'],
    [`${'<a>'.repeat(300)}${'</a>'.repeat(300)}`, 'more elements than can be meant'],
    ['', 'document must contain a root element'],
  ])('refuses %.30s', (text, found) => {
    expect(() => readPom(text, 'x.pom')).toThrow(found);
  });
});
