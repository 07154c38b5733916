import { join } from 'node:path';
import { startTestIndex, type TestIndex } from '../support';
import { DEMO, jvmProject as project } from '../support/jvm';
import { put, run } from '../support/program';
import { makeZip, type RawEntry } from '../support/zip-bytes';

let index: TestIndex;
beforeAll(async () => {
  index = await startTestIndex(join(DEMO, 'fernhaven-packages'));
}, 60_000);

describe('bad input', () => {
  it.each<[string, Record<string, unknown>, string]>([
    ['a need that is none', { needs: ['org.fernhaven:tidetable'] }, 'group:artifact:version'],
    ['a package of the JDK that is to move', { relocate: { 'java.util': 'x.util' } }, 'one of the JDK'],
    ['a zip', { artifact: 'zip' }, '`jar`'],
    ['an entry that is a file', { entry: 'tide/Gauge.java#read' }, 'the name of a class, with dots'],
    ['a key of another language', { link: true }, 'it only for Node.js functions'],
  ])('in the sheet is refused: %s', (_name, keys, found) => {
    const root = project({ 'tide/texts.properties': '' }, keys);
    const lock = run(root, ['lock']);
    expect([lock.status, lock.stderr]).toEqual([2, expect.stringContaining(found) as unknown]);
  });

  it.each<[string, readonly string[], string]>([
    ['the wrong checksum', ['--misbehave', 'wrong-digest'], 'the SHA-1 that it states'],
    ['HTML', ['--misbehave', 'html-as-json'], 'a web page'],
    ['an error', ['--misbehave', 'failing'], '503'],
  ])(
    'from a repository is refused: %s',
    async (_name, options, found) => {
      const bad = await startTestIndex(join(DEMO, 'fernhaven-packages'), options);
      const source = bad.url.replace('/simple', '/maven');
      const root = project(
        { 'tide/texts.properties': '' },
        { needs: ['org.fernhaven:tidetable:1.6.0'], sources: [{ index: source }] },
      );
      const { status, stderr } = run(root, ['lock']);
      expect(status).toBe(3);
      expect(stderr).toContain(found);
    },
    60_000,
  );

  it('is told with the chain that leads to it', () => {
    const root = project(
      { 'tide/texts.properties': '' },
      { needs: ['org.fernhaven:nothing:1.0'], sources: [{ index: index.url.replace('/simple', '/maven') }] },
    );
    const { status, stderr } = run(root, ['lock']);
    expect([status, stderr]).toEqual([2, expect.stringContaining('the POM of org.fernhaven:nothing:1.0') as unknown]);
  });

  it.each<[string, readonly RawEntry[], string]>([
    ['a path that leaves it', [{ name: '../evil.class', data: 'x' }], 'unsafe-path'],
    [
      'one name twice, with different content',
      [
        { name: 'a.txt', data: '1' },
        { name: 'a.txt', data: '2' },
      ],
      'two of that name with different content',
    ],
    [
      'a class that is cut off',
      [{ name: 'a/B.class', data: Buffer.from('cafebabe0000003d0005', 'hex') }],
      'app.jar!/a/B.class',
    ],
    [
      'a class newer than any',
      [{ name: 'a/B.class', data: Buffer.from('cafebabe000000ff00010000', 'hex') }],
      'class file version 255',
    ],
  ])('in a JAR is refused: %s', (_name, entries, found) => {
    const root = project({ 'app.jar': makeZip(entries) });
    expect(run(root, ['build'])).toMatchObject({ status: 2, stderr: expect.stringContaining(found) as unknown });
  });

  it('with a login that the settings do not have is refused, and with it taken', async () => {
    const guarded = await startTestIndex(join(DEMO, 'fernhaven-packages'), ['--login', 'keeper:high']);
    const at = guarded.url.replace('/simple', '/maven');
    const root = project(
      { 'tide/texts.properties': '' },
      { needs: ['org.fernhaven:tidetable:1.6.0'], sources: [{ index: at, id: 'inner' }] },
    );
    expect(run(root, ['lock'])).toMatchObject({ status: 3, stderr: expect.stringContaining('401') as unknown });
    put(root, {
      'home/.m2/settings.xml':
        '<settings><servers><server><id>inner</id><username>keeper</username><password>high</password></server></servers></settings>',
    });
    const { status, stderr, stdout } = run(root, ['lock'], { env: { HOME: join(root, 'home') } });
    // Without a Java compiler the index has POMs, but no JARs.
    expect([status === 0 || stderr.includes('the JAR of'), stderr.includes('401')]).toEqual([true, false]);
    expect(stdout + stderr).not.toContain('high');
  }, 60_000);
});
