import { isAmong } from '../compiled/compile/files';
import { readSourceSettings } from '../compiled/source-settings';
import { readCargoLock } from './locks/cargo-lock';
import { RUST_FILES, RUST_SETTINGS } from './view/source-words';

const REGISTRY = 'registry+https://registry.example/index';
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

describe('what Rust locks', () => {
  it('is read from Cargo.lock, with who asks', () => {
    expect(readCargoLock(LOCK, 'Cargo.lock')).toEqual({
      crates: [
        { name: 'levels', version: '0.3.1', sha256: 'ab'.repeat(32), by: ['tide'], registry: REGISTRY },
        { name: 'clock', version: '2.0.0', sha256: 'cd'.repeat(32), by: ['levels', 'tide'], registry: REGISTRY },
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
});

describe('a source folder of Rust', () => {
  it('is not packed, but for what is data', () => {
    const paths = ['src/main.rs', 'Cargo.toml', 'vendor/x/y.txt', 'table.txt', 'src/data.bin'];
    expect(paths.map((path) => isAmong(RUST_FILES, path))).toEqual([true, true, true, false, false]);
  });

  const names = (text: string): string[] =>
    readSourceSettings(text, RUST_SETTINGS).map(
      ({ name, line, hasDefault }) => `${name}:${String(line)}${hasDefault ? '?' : ''}`,
    );

  it('tells settings by calls with a name that stands there', () => {
    const text = 'let a = env::var("MEAN").unwrap();\nlet b = std::env::var_os("BASE").unwrap_or_default();';
    expect(names(text)).toEqual(['MEAN:1', 'BASE:2?']);
    expect(names('let x = r#"env::var("A")"#; // env::var("B")')).toEqual([]);
  });
});
