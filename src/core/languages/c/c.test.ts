import { isAmong } from '../compiled/compile/files';
import { readSourceSettings } from '../compiled/source-settings';
import { C_FILES, C_SETTINGS } from './source-words';

describe('a source folder of C', () => {
  it('is not packed, but for what is data', () => {
    expect(['tide.h', 'tide.dat'].map((path) => isAmong(C_FILES, path))).toEqual([true, false]);
  });

  const names = (text: string): string[] =>
    readSourceSettings(text, C_SETTINGS).map(
      ({ name, line, hasDefault }) => `${name}:${String(line)}${hasDefault ? '?' : ''}`,
    );

  it('tells settings by calls with a name that stands there', () => {
    expect(names('char *a = getenv("MEAN");\nb = getenv("BASE") ? 1 : 2;')).toEqual(['MEAN:1', 'BASE:2?']);
    expect(names('// getenv("A")\n/* getenv("B") */\nputs("getenv(\\"C\\")"); getenv(name);')).toEqual([]);
  });
});
