import { readMavenSettings, type SettingsSurroundings } from './maven-settings';

const SETTINGS = `<settings>
  <servers>
    <server><id>inner</id><username>keeper</username><password>\${env.TIDE}</password></server>
    <server><id>sealed</id><username>keeper</username><password>{jSMOWnoPFgsHVpMvz5VrIt5kRbzGpI8u+9EF1iFQyJQ=}</password></server>
  </servers>
  <mirrors>
    <mirror><id>inner</id><url>https://mirror.example/all/</url><mirrorOf>*,!own</mirrorOf></mirror>
  </mirrors>
</settings>`;
const surroundings: SettingsSurroundings = {
  java: 17,
  arch: 'arm64',
  variable: (name) => (name === 'TIDE' ? 'high' : undefined),
  isThere: (path) => path === '/harbour/high',
};
const settings = readMavenSettings([{ text: SETTINGS, shown: 'settings.xml' }], surroundings);

describe('settings of Maven', () => {
  it('say which repository another stands in for, and who logs in there', () => {
    const mirrored = settings.mirrorFor({ id: 'far', url: 'https://far.example' });
    expect(mirrored).toEqual({ id: 'inner', url: 'https://mirror.example/all' });
    expect(settings.mirrorFor({ id: 'own', url: 'https://own.example' })).toEqual({
      id: 'own',
      url: 'https://own.example',
    });
    expect(settings.loginFor('inner')).toBe(`Basic ${Buffer.from('keeper:high').toString('base64')}`);
    expect([settings.loginFor('far'), settings.loginFor(undefined)]).toEqual([undefined, undefined]);
  });

  it.each([
    ['*', 'https://a.example', true],
    ['external:*', 'http://127.0.0.1:8080', false],
    ['external:*', 'https://a.example', true],
    ['a,b', 'https://a.example', true],
    ['b', 'https://a.example', false],
  ])('take %s for %s', (of, url, isMirrored) => {
    const text = `<settings><mirrors><mirror><url>https://m.example</url><mirrorOf>${of}</mirrorOf></mirror></mirrors></settings>`;
    const found = readMavenSettings([{ text, shown: 's' }], surroundings);
    expect(found.mirrorFor({ id: 'a', url }).url).toBe(isMirrored ? 'https://m.example' : url);
  });

  it('are refused where they are no XML, or hide a password that is wanted', () => {
    expect(() => readMavenSettings([{ text: '<settings>', shown: 's' }], surroundings)).toThrow('unclosed tag');
    expect(() => settings.loginFor('sealed')).toThrow('only Maven can decrypt');
  });

  it.each([
    ['<jdk>17</jdk>', true],
    ['<jdk>!17</jdk>', false],
    ['<jdk>[11,18)</jdk>', true],
    ['<jdk>1.8</jdk>', false],
    ['<property><name>env.TIDE</name></property>', true],
    ['<property><name>!env.TIDE</name></property>', false],
    ['<property><name>env.TIDE</name><value>high</value></property>', true],
    ['<property><name>env.TIDE</name><value>!high</value></property>', false],
    ['<property><name>env.TIDE</name><value>low</value></property>', false],
    ['<property><name>!given</name></property>', true],
    ['<property><name>given</name></property>', false],
    ['<os><family>unix</family><arch>aarch64</arch></os>', true],
    ['<os><arch>amd64</arch></os>', false],
    ['<os><name>!linux</name></os>', false],
    ['<file><exists>/harbour/${env.TIDE}</exists></file>', true],
    ['<file><missing>/harbour/high</missing></file>', false],
    ['<file><missing>/harbour/low</missing></file>', true],
    ['<jdk>17</jdk><os><family>windows</family></os>', false],
    ['', false],
  ])('count a profile with %s: %s', (condition, isActive) => {
    const repository = (id: string): string =>
      `<repositories><repository><id>${id}</id><url>https://${id}.example</url></repository></repositories>`;
    const text = `<settings><profiles>
      <profile><id>one</id><activation>${condition}</activation>${repository('one')}</profile>
      <profile><id>usual</id><activation><activeByDefault>true</activeByDefault></activation>${repository('usual')}</profile>
    </profiles></settings>`;
    const found = readMavenSettings([{ text, shown: 's' }], surroundings).repositories;
    expect(found.map(({ id }) => id)).toEqual([isActive ? 'one' : 'usual']);
  });
});
