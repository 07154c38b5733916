import { createHash } from 'node:crypto';
import { dirHash, escapedPath, isForCompiler, readCargoLock, readDepFile, readGoSum, readSourceSettings } from '.';

const LOCK = `version = 3

[[package]]
name = "tide"
version = "1.0.0"
dependencies = ["levels", "clock 2.0.0"]

[[package]]
name = "levels"
version = "0.3.1"
source = "registry+https://registry.example/index"
checksum = "${'ab'.repeat(32)}"
dependencies = ["clock 2.0.0"]

[[package]]
name = "clock"
version = "2.0.0"
source = "registry+https://registry.example/index"
checksum = "${'cd'.repeat(32)}"
`;

describe('what the languages lock', () => {
  it('is read from Cargo.lock, with who asks', () => {
    expect(readCargoLock(LOCK, 'Cargo.lock')).toEqual({
      crates: [
        { name: 'levels', version: '0.3.1', sha256: 'ab'.repeat(32), by: ['tide'] },
        { name: 'clock', version: '2.0.0', sha256: 'cd'.repeat(32), by: ['levels', 'tide'] },
      ],
      own: ['tide'],
      problems: [],
    });
  });

  it('is a mistake with its line where it cannot be held to a digest', () => {
    const git = LOCK.replace(
      /source = "registry.*\nchecksum = "ab.*\n/,
      'source = "git+https://git.example/levels#1"\n',
    );
    expect(readCargoLock(git, 'Cargo.lock').problems).toMatchObject([{ place: { line: 9 } }]);
    expect(readCargoLock('version = [', 'Cargo.lock').problems).toHaveLength(1);
  });

  it('is read from go.sum, and its digests are those of Go', () => {
    const line = 'github.com/google/uuid v1.3.0/go.mod h1:TIyPZe4MgqvfeYDBFedMoGGpEw/LqOeaOT+nhxU+yHo=';
    const { files, problems } = readGoSum(`${line}\nnonsense\n`, 'go.sum');
    expect(problems).toMatchObject([{ place: { line: 2 }, found: '`nonsense`' }]);
    const sha256 = createHash('sha256').update('module github.com/google/uuid\n').digest('hex');
    expect(files).toMatchObject([{ kind: 'mod', version: 'v1.3.0', hash: dirHash([{ name: 'go.mod', sha256 }]) }]);
    expect(escapedPath('example.com/Tide/Levels')).toBe('example.com/!tide/!levels');
  });
});

describe('what compilers read', () => {
  it('is told by the rules that they write', () => {
    const text = 'a.o: src/a.c \\\n  include/my\\ tide.h /usr/include/stdio.h\n\ninclude/x.h:\n# env-dep:A=1\n';
    expect(readDepFile(text)).toEqual(['src/a.c', 'include/my tide.h', '/usr/include/stdio.h']);
  });

  it('is not packed, but for what is data', () => {
    const paths = ['src/main.rs', 'Cargo.toml', 'vendor/x/y.txt', 'table.txt', 'src/data.bin'];
    expect(paths.map((path) => isForCompiler(path, 'rust'))).toEqual([true, true, true, false, false]);
    expect([isForCompiler('tide.h', 'c'), isForCompiler('go.sum', 'go'), isForCompiler('a.json', 'go')]).toEqual([
      true,
      true,
      false,
    ]);
  });
});

describe('settings in native code', () => {
  const names = (text: string, language: string): string[] =>
    readSourceSettings(text, language).map(
      ({ name, line, hasDefault }) => `${name}:${String(line)}${hasDefault ? '?' : ''}`,
    );

  it('are told by calls with a name that stands there', () => {
    const rust = 'let a = env::var("MEAN").unwrap();\nlet b = std::env::var_os("BASE").unwrap_or_default();';
    expect(names(rust, 'rust')).toEqual(['MEAN:1', 'BASE:2?']);
    expect(names('os.Getenv("MEAN")\n_, ok := os.LookupEnv("BASE")', 'go')).toEqual(['MEAN:1', 'BASE:2?']);
    expect(names('char *a = getenv("MEAN");\nb = getenv("BASE") ? 1 : 2;', 'c')).toEqual(['MEAN:1', 'BASE:2?']);
  });

  it('are not told by comments, texts, and names that come from elsewhere', () => {
    expect(names('// getenv("A")\n/* getenv("B") */\nputs("getenv(\\"C\\")"); getenv(name);', 'c')).toEqual([]);
    expect(names('x := `os.Getenv("A")`; os.Getenv(key)', 'go')).toEqual([]);
    expect(names('let x = r#"env::var("A")"#; // env::var("B")', 'rust')).toEqual([]);
  });
});
