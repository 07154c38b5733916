import { createHash } from 'node:crypto';
import { isAmong } from '../compiled/compile/files';
import { readSourceSettings } from '../compiled/source-settings';
import { dirHash, escapedPath, readGoSum } from './go-sum';
import { GO_FILES, GO_SETTINGS } from './source-words';

describe('what Go locks', () => {
  it('is read from go.sum, and its digests are those of Go', () => {
    const line = 'github.com/google/uuid v1.3.0/go.mod h1:TIyPZe4MgqvfeYDBFedMoGGpEw/LqOeaOT+nhxU+yHo=';
    const { files, problems } = readGoSum(`${line}\nnonsense\n`, 'go.sum');
    expect(problems).toMatchObject([{ place: { line: 2 }, found: '`nonsense`' }]);
    const sha256 = createHash('sha256').update('module github.com/google/uuid\n').digest('hex');
    expect(files).toMatchObject([{ kind: 'mod', version: 'v1.3.0', hash: dirHash([{ name: 'go.mod', sha256 }]) }]);
    expect(escapedPath('example.com/Tide/Levels')).toBe('example.com/!tide/!levels');
  });
});

describe('a source folder of Go', () => {
  it('is not packed, but for what is data', () => {
    expect(['go.sum', 'a.json'].map((path) => isAmong(GO_FILES, path))).toEqual([true, false]);
  });

  const names = (text: string): string[] =>
    readSourceSettings(text, GO_SETTINGS).map(
      ({ name, line, hasDefault }) => `${name}:${String(line)}${hasDefault ? '?' : ''}`,
    );

  it('tells settings by calls with a name that stands there', () => {
    expect(names('os.Getenv("MEAN")\n_, ok := os.LookupEnv("BASE")')).toEqual(['MEAN:1', 'BASE:2?']);
    expect(names('x := `os.Getenv("A")`; os.Getenv(key)')).toEqual([]);
  });
});
