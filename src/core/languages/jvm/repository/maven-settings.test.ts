import { readMavenSettings } from './maven-settings';

const SETTINGS = `<settings>
  <servers>
    <server><id>inner</id><username>keeper</username><password>\${env.TIDE}</password></server>
    <server><id>sealed</id><username>keeper</username><password>{jSMOWnoPFgsHVpMvz5VrIt5kRbzGpI8u+9EF1iFQyJQ=}</password></server>
  </servers>
  <mirrors>
    <mirror><id>inner</id><url>https://mirror.example/all/</url><mirrorOf>*,!own</mirrorOf></mirror>
  </mirrors>
</settings>`;
const settings = readMavenSettings([{ text: SETTINGS, shown: 'settings.xml' }], (name) =>
  name === 'TIDE' ? 'high' : undefined,
);

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
    const found = readMavenSettings([{ text, shown: 's' }], () => undefined);
    expect(found.mirrorFor({ id: 'a', url }).url).toBe(isMirrored ? 'https://m.example' : url);
  });

  it('are refused where they are no XML, or hide a password that is wanted', () => {
    expect(() => readMavenSettings([{ text: '<settings>', shown: 's' }], () => undefined)).toThrow('unclosed tag');
    expect(() => settings.loginFor('sealed')).toThrow('only Maven can decrypt');
  });
});
