import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { isLicenceText, packageLicence } from './';
import { licencesIn } from './texts';

const published = (id: string): string => {
  const path = join(dirnameOfList(), 'licenses', `${id}.json`);
  return (JSON.parse(readFileSync(path, 'utf8')) as { licenseText: string }).licenseText;
};
const dirnameOfList = (): string => join(require.resolve('spdx-license-list'), '..');

/** As packages have them: their own holders, other lines, marks of comments. */
const asPublished = (id: string): string =>
  published(id)
    .replace(/<[^>]*>|\[[^\]]*\]/g, 'Fernhaven Harbour')
    .split('\n')
    .map((line) => `# ${line}`)
    .join('\n');

describe('licences', () => {
  it.each([
    'MIT',
    'ISC',
    'BSD-2-Clause',
    'BSD-3-Clause',
    'Apache-2.0',
    'MPL-2.0',
    'GPL-3.0-only',
    'AGPL-3.0-only',
    'Zlib',
    'Unlicense',
  ])('of the kind %s are known by their text', (id) => {
    expect(licencesIn(asPublished(id))).toBe(id);
  });

  it('that stand in one text are all told', () => {
    expect(licencesIn(`${published('MIT')}\n\nThe tables of the harbour:\n\n${published('BSD-3-Clause')}`)).toBe(
      'BSD-3-Clause AND MIT',
    );
  });

  it('are not seen in other texts', () => {
    expect(licencesIn('All rights reserved. Permission is hereby granted to nobody.')).toBeUndefined();
    expect(licencesIn('')).toBeUndefined();
  });

  it.each([
    ['LICENSE', true],
    ['LICENCE.txt', true],
    ['COPYING.LESSER', true],
    ['LICENSE-MIT', true],
    ['tide.dist-info/licenses/AUTHORS', true],
    ['lib/license.js', false],
    ['lib/licensed.txt', false],
    ['src/notice.py', false],
  ])('%s is a text of one: %s', (path, expected) => {
    expect(isLicenceText(path)).toBe(expected);
  });

  it('are what the publisher states, and otherwise what the text says', () => {
    const text = { path: 'LICENSE', text: published('MIT') };
    expect(packageLicence({ written: ['Apache-2.0'], at: 'METADATA' }, [text])).toEqual({
      expression: 'Apache-2.0',
      at: 'METADATA',
      texts: ['LICENSE'],
    });
    expect(packageLicence({ written: ['BSD'], at: 'METADATA' }, [])).toEqual({
      written: 'BSD',
      at: 'METADATA',
      texts: [],
    });
    expect(packageLicence(undefined, [text])).toEqual({ expression: 'MIT', at: 'LICENSE', texts: ['LICENSE'] });
    expect(packageLicence({ written: [published('ISC')], at: 'METADATA' }, [])).toMatchObject({ expression: 'ISC' });
    expect(packageLicence(undefined, [])).toEqual({ texts: [] });
  });
});
