import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { folderWith } from '../../../../../test/support/program';
import { integrityFault } from '../../../sources/integrity';
import { readNpmConfig } from './npm-config';

const variable = (name: string): string | undefined => ({ TOKEN: 'from-env' })[name];
const config = (...texts: readonly string[]): ReturnType<typeof readNpmConfig> =>
  readNpmConfig(texts.map((text) => ({ text, shown: '.npmrc', variable })));
const login = (text: string, url: string): string | undefined =>
  config(text).credentials.authorizationFor(new URL(url));

describe('the npm configuration', () => {
  it('says which registry serves which name, the first file first', () => {
    const found = config(
      '@fernhaven:registry=https://own.example/npm',
      'registry = https://all.example\n@fernhaven:registry=https://other.example',
    );
    expect(['levels', '@fernhaven/words', '@else/x'].map((name) => found.registryFor(name)?.at)).toEqual([
      'https://all.example/',
      'https://own.example/npm/',
      'https://all.example/',
    ]);
    expect(config('').registryFor('levels')).toBeUndefined();
    expect(config('registry=${HOST_NOT_SET}').registryFor('levels')).toBeUndefined();
  });

  it.each<[string, string, string | undefined]>([
    ['//r.example/:_authToken=abc', 'https://r.example/levels', 'Bearer abc'],
    ['//r.example/npm/:_authToken=${TOKEN}', 'https://r.example/npm/levels/-/levels-1.tgz', 'Bearer from-env'],
    ['//r.example/npm/:_authToken=abc', 'https://r.example/other', undefined],
    ['//r.example:8080/:_auth=dTpw', 'http://r.example:8080/levels', 'Basic dTpw'],
    [
      '//r.example/:username=u\n//r.example/:_password=cA==',
      'https://r.example/levels',
      `Basic ${Buffer.from('u:p').toString('base64')}`,
    ],
    ['//r.example/:_authToken=abc', 'https://evil.example/r.example/levels', undefined],
    [
      '//r.example/:_authToken=outer\n//r.example/inner/:_authToken=inner',
      'https://r.example/inner/levels',
      'Bearer inner',
    ],
    ['_authToken=abc', 'https://r.example/levels', undefined],
  ])('gives logins only to whom they are for: %j', (text, url, expected) => expect(login(text, url)).toBe(expected));
});

describe('subresource integrity', () => {
  const file = join(folderWith({}), 'a');
  writeFileSync(file, 'tide');
  const SHA512 = 'sha512-kBFmJ2zSfCqxPm9TkWrCXWmEDDGMLeAmJ8JGCqXHkwTKdMBDCBG0pPZBMgJjjpzQyZ0zXTUlHgBJQ8Q==';

  it('takes the strongest digest that is stated, and any of several of that kind', () => {
    const good = integrityFault(file, 'sha256-x')?.found ?? '';
    expect(good).toMatch(/^sha256-[\w+/]{43}=$/);
    expect(integrityFault(file, good)).toBeUndefined();
    expect(integrityFault(file, `sha1-AAAA ${good}`)).toBeUndefined();
    expect(integrityFault(file, `sha256-AAAA= ${good}`)).toBeUndefined();
    expect(integrityFault(file, `${good} ${SHA512}`)?.expected).toContain('sha512-');
    expect(integrityFault(file, 'md5-AAAA')?.expected).toBe('a digest that can be checked');
  });
});
