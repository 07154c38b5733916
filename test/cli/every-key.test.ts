/**
 * Whatever is changed in a sheet or a destination, a build that remembers everything gives what one gives that remembers
 * nothing: either the bytes do not depend on it, or the build sees it.
 */
import { cpSync, existsSync, readdirSync, readFileSync, statSync, symlinkSync } from 'node:fs';
import { join } from 'node:path';
import { DUES, TARIFF, WORDS } from '../support/dotnet';
import { itWithJava } from '../support/jvm';
import { itWith } from '../support/needs';
import { answering } from '../support/native';
import { folderWith, put, run, type Files } from '../support/program';

type Json = Readonly<Record<string, unknown>>;

/** A project with one function, and how it is called in the sheet. */
interface Kind {
  readonly it: jest.It;
  readonly files: Files;
  readonly spec: Json;
}

const KINDS = {
  node: {
    it,
    files: {
      'src/a.mjs': "import { b } from './b.mjs';\nexport const run = () => b;\nexport const other = () => 2;\n",
      'src/b.mjs': '/** Said. */\nexport const b = 1;\nexport const unused = 3;\n',
      'src/note.txt': 'noted\n',
      'src/empty': (path) => put(path, { 'x/y': '' }),
      'src/link.txt': (path) => symlinkSync('note.txt', path),
      'more/a.mjs': 'export const run = () => 7;\n',
    },
    spec: { source: 'src', runtime: 'node 20', entry: 'a.mjs#run', artifact: 'zip', link: true },
  },
  web: {
    it,
    files: { 'src/page.mjs': 'export const page = (request, response) => response.end();\n' },
    spec: { source: 'src', runtime: 'node 20', entry: 'page.mjs#page', artifact: 'zip', adapter: 'http' },
  },
  python: {
    it,
    files: { 'src/a.py': 'def run(event):\n    return 1\n' },
    spec: { source: 'src', runtime: 'python 3.11', entry: 'a.py#run', artifact: 'zip' },
  },
  jvm: {
    it: itWithJava,
    files: {
      'src/tide/Gauge.java':
        'package tide;\npublic class Gauge {\n  public static String read(String event) { int level = 4; return "" + level; }\n' +
        '  public static void main(String[] args) { System.out.println(read("")); }\n}\n',
    },
    spec: { source: 'src', runtime: 'java 17', entry: 'tide.Gauge#read', artifact: 'jar' },
  },
  dotnet: {
    it,
    files: {
      'src/Dues.dll': DUES,
      'src/Fernhaven.Tariff.dll': TARIFF,
      'src/de/Fernhaven.Tariff.resources.dll': WORDS,
    },
    spec: { source: 'src', runtime: 'dotnet 8', entry: 'Dues.dll#Fernhaven.Dues.Export.Run', artifact: 'zip' },
  },
  c: {
    it: itWith('gcc'),
    files: { 'src/main.c': answering('puts("1");'), 'src/extra.c': 'int extra(void) { return 1; }\n' },
    spec: { source: 'src', runtime: 'c', entry: 'main.c', artifact: 'zip' },
  },
  image: {
    it: itWith('gcc'),
    files: { 'src/main.c': answering('puts("1");'), 'src/tide.dat': '1 2 3\n', 'root/etc/harbour': 'Fernhaven\n' },
    spec: {
      source: 'src',
      runtime: 'c',
      entry: 'main.c',
      artifact: 'image',
      base: 'empty',
      build: { linkage: 'static' },
    },
  },
  rust: {
    it: itWith('cargo', 'gcc'),
    files: {
      'src/Cargo.toml':
        '[package]\nname = "tide"\nversion = "0.1.0"\nedition = "2021"\n[features]\ndefault = ["low"]\nlow = []\nhigh = []\n' +
        '[[bin]]\nname = "tide"\npath = "src/main.rs"\n[[bin]]\nname = "ebb"\npath = "src/ebb.rs"\n',
      'src/Cargo.lock': 'version = 3\n\n[[package]]\nname = "tide"\nversion = "0.1.0"\n',
      'src/src/main.rs':
        'fn main() { println!("{}", if cfg!(feature = "high") { "high" } else if cfg!(feature = "low") { "low" } else { "" }) }\n',
      'src/src/ebb.rs': 'fn main() { println!("ebb") }\n',
    },
    spec: {
      source: 'src',
      runtime: 'rust',
      entry: 'src/main.rs',
      artifact: 'zip',
      build: { package: 'tide', program: 'tide' },
    },
  },
  go: {
    it: itWith('go'),
    files: {
      'src/go.mod': 'module fernhaven.example/tide\n\ngo 1.19\n',
      'src/main.go': 'package main\n\nfunc main() { println(level) }\n',
      'src/low.go': '//go:build !high\n\npackage main\n\nconst level = "low"\n',
      'src/high.go': '//go:build high\n\npackage main\n\nconst level = "high"\n',
      'src/cmd/ebb/main.go': 'package main\n\nfunc main() { println("ebb") }\n',
    },
    spec: { source: 'src', runtime: 'go', entry: 'main.go', artifact: 'zip' },
  },
} satisfies Readonly<Record<string, Kind>>;

type KindName = keyof typeof KINDS;

/** Every key of a function, with the kind of function that it says something to, and what it becomes. */
const FUNCTION_KEYS: Readonly<Record<string, readonly [kind: KindName, keys: Json]>> = {
  source: ['node', { source: 'more' }],
  runtime: ['node', { runtime: 'node 18' }],
  entry: ['node', { entry: 'a.mjs#other' }],
  artifact: ['c', { artifact: 'binary' }],
  arch: ['node', { arch: ['arm64'] }],
  destination: ['node', { destination: 'mole' }],
  'leave-out': ['node', { 'leave-out': ['note.txt'] }],
  keep: ['node', { keep: ['b.mjs'] }],
  include: ['node', { include: [{ files: 'more', inside: 'beside' }] }],
  links: ['node', { links: 'keep', link: false }],
  'empty-folders': ['node', { 'empty-folders': true, link: false }],
  needs: ['python', { needs: ['levels'] }],
  sources: ['python', { sources: [{ folder: 'src' }] }],
  trim: ['node', { trim: 'traced', link: false }],
  adapter: ['node', { adapter: 'http' }],
  base: ['image', { base: { root: 'root' } }],
  layers: ['image', { layers: 'one' }],
  user: ['image', { user: '1000:1000' }],
  archive: ['image', { archive: true }],
  labels: ['image', { labels: { harbour: 'Fernhaven' } }],
  settings: ['node', { settings: { BASE: { sample: 'x' } } }],
  beside: ['node', { beside: { levels: { file: 'more/a.mjs', setting: 'LEVELS' } } }],
  limits: ['node', { limits: { packed: '1 KiB' } }],
  memory: ['node', { memory: '256 MiB' }],
  timeout: ['node', { timeout: '3 s' }],
  events: ['node', { events: ['note.json'] }],
  accept: ['node', { accept: [{ rule: 'size/packed', reason: 'it is small', until: '2031-01-01' }] }],
  link: ['node', { link: false }],
  minify: ['node', { minify: true }],
  sourcemap: ['node', { sourcemap: 'beside' }],
  bytecode: ['python', { bytecode: true }],
  relocate: ['jvm', { relocate: { tide: 'sea' } }],
  merge: ['jvm', { merge: { append: ['META-INF/x'] } }],
  debug: ['jvm', { debug: 'none' }],
  main: ['jvm', { main: 'tide.Gauge' }],
  processors: ['jvm', { processors: ['tide.Marks'] }],
  languages: ['dotnet', { languages: ['en'] }],
  publish: ['dotnet', { publish: 'self-contained' }],
  toolchain: ['c', { toolchain: 'gcc >=4' }],
  strip: ['c', { strip: 'none' }],
  'build.package': ['go', { build: { package: './cmd/ebb' } }],
  'build.program': ['rust', { build: { package: 'tide', program: 'ebb' } }],
  'build.features': ['rust', { build: { package: 'tide', program: 'tide', features: ['high'] } }],
  'build.default-features': ['rust', { build: { package: 'tide', program: 'tide', 'default-features': false } }],
  'build.tags': ['go', { build: { tags: ['high'] } }],
  'build.sources': ['c', { build: { sources: ['main.c'] } }],
  'build.flags': ['c', { build: { flags: ['-O1'] } }],
  'build.libraries': ['c', { build: { libraries: ['m'] } }],
  'build.linkage': ['c', { build: { linkage: 'static' } }],
  'build.cgo': ['go', { build: { cgo: true } }],
};

const DESTINATION = {
  destination: 'slipway',
  arch: ['x86_64', 'arm64'],
  accepts: { zip: {}, jar: {}, binary: {}, image: {} },
  runtimes: {
    'node 18': {},
    'node 20': {},
    'python 3.11': {},
    'java 17': {},
    'dotnet 8': {},
    native: { glibc: '2.36', start: 'run' },
  },
};

const offering = (kind: KindName, more: Json): readonly [KindName, Json] => {
  const name = kind === 'c' ? 'native' : 'python 3.11';
  const before: Json = DESTINATION.runtimes[name];
  return [kind, { runtimes: { ...DESTINATION.runtimes, [name]: { ...before, ...more } } }];
};

const DESTINATION_KEYS: Readonly<Record<string, readonly [kind: KindName, keys: Json]>> = {
  destination: ['node', { destination: 'pier' }],
  arch: ['node', { arch: ['x86_64'] }],
  cpu: ['c', { cpu: { x86_64: 'x86-64-v2' } }],
  accepts: ['node', { accepts: { zip: { packed: '1 KiB' } } }],
  deliver: ['node', { deliver: { folder: 'jetty' } }],
  link: ['node', { link: 'https://harbour.example/{location}' }],
  registry: ['image', { registry: 'harbour.example/tides' }],
  'plain-http': ['image', { registry: 'harbour.example/tides', 'plain-http': true }],
  runtimes: ['node', { runtimes: { 'node 20': {} } }],
  entry: ['node', { entry: { node: '{path}' } }],
  memory: ['node', { memory: { least: '64 MiB' } }],
  timeout: ['node', { timeout: { most: '9 min' } }],
  settings: ['node', { settings: { reserved: ['HOST_*'] } }],
  calls: ['image', { calls: { image: 'http' } }],
  'calls.event': ['web', { calls: { event: 'data' } }],
  'calls.context': ['image', { calls: { context: { run: 'request' } } }],
  'calls.shapes': [
    'web',
    { calls: { shapes: { gateway: { request: { path: '/path' }, response: { body: '/said' } } } } },
  ],
  'runtimes.glibc': offering('c', { glibc: '2.31' }),
  'runtimes.musl': offering('c', { musl: '1.2' }),
  'runtimes.patch': offering('python', { patch: '3.11.2' }),
  'runtimes.provides': offering('python', { provides: ['levels'] }),
  'runtimes.start': offering('c', { start: 'begin' }),
  'runtimes.ends': offering('python', { ends: '2031-01-01' }),
  wants: ['node', { wants: { bill: true } }],
};

const DEFAULT_KEYS: Readonly<Record<string, Json>> = {
  destination: { destination: 'mole' },
  arch: { arch: ['arm64'] },
  memory: { memory: '256 MiB' },
  timeout: { timeout: '3 s' },
  limits: { limits: { packed: '1 KiB' } },
  sources: { sources: [{ folder: 'src' }] },
  trim: { trim: 'off' },
};

interface Change {
  readonly spec?: Json;
  readonly destination?: Json;
  readonly defaults?: Json;
  readonly sheet?: Json;
}

const MOLE = { ...DESTINATION, destination: 'mole', entry: { node: '{module}:{member}' } };

function write(root: string, kind: KindName, { spec, destination, defaults, sheet }: Change): void {
  put(root, {
    'emballage.yaml': JSON.stringify({
      project: 'fernhaven-tides',
      destinations: { slipway: 'slipway.yaml', mole: 'mole.yaml' },
      defaults: { destination: 'slipway', arch: ['x86_64'], ...defaults },
      functions: { gauge: { ...KINDS[kind].spec, ...spec } },
      ...sheet,
    }),
    'slipway.yaml': JSON.stringify({ ...DESTINATION, ...destination }),
    'mole.yaml': JSON.stringify(MOLE),
  });
}

function outputs(root: string): string[] {
  const below = (path: string): string[] =>
    statSync(join(root, path)).isDirectory()
      ? readdirSync(join(root, path)).flatMap((name) => below(`${path}/${name}`))
      : [path];
  return existsSync(join(root, 'out')) ? below('out') : [];
}

const roots = new Map<KindName, string>();

/** Projects that are built on and on, so that each remembers what it was before. */
function rootOf(kind: KindName): string {
  const known = roots.get(kind);
  if (known !== undefined) return known;
  const root = folderWith({ 'note.json': '{}', ...KINDS[kind].files });
  write(root, kind, {});
  expect(run(root, ['build'])).toMatchObject({ status: 0, stderr: '' });
  roots.set(kind, root);
  return root;
}

function holds(kind: KindName, change: Change): void {
  const root = rootOf(kind);
  write(root, kind, change);
  const fresh = folderWith({});
  const isSource = (path: string): boolean => !/^\/(?:out|\.emballage)$/.test(path.slice(root.length));
  cpSync(root, fresh, { recursive: true, verbatimSymlinks: true, filter: isSource });
  const [warm, cold] = [run(root, ['build']), run(fresh, ['build'])];
  expect([warm.status, warm.stderr]).toEqual([cold.status, cold.stderr]);
  // What is tried has to be a right sheet.
  expect(warm.stderr).not.toMatch(/emballage\.yaml:|slipway\.yaml:/);
  if (cold.status !== 0) return;
  const files = outputs(fresh);
  expect(files.length).toBeGreaterThan(1);
  for (const file of files)
    expect([file, readFileSync(join(root, file)).equals(readFileSync(join(fresh, file)))]).toEqual([file, true]);
}

describe('a build that remembers gives what one gives that does not, when it is changed', () => {
  for (const [key, [kind, spec]] of Object.entries(FUNCTION_KEYS))
    KINDS[kind].it(`in \`${key}\` of a function (${kind})`, () => holds(kind, { spec }));
  for (const [key, [kind, destination]] of Object.entries(DESTINATION_KEYS))
    KINDS[kind].it(`in \`${key}\` of a destination (${kind})`, () => holds(kind, { destination }));
  for (const [key, defaults] of Object.entries(DEFAULT_KEYS))
    it(`in \`${key}\` of the defaults`, () => holds('node', { defaults }));
  it('in the name of the project', () => holds('node', { sheet: { project: 'sound-tides' } }));
  it('in the files of the destinations', () =>
    holds('node', { sheet: { destinations: { slipway: 'mole.yaml', mole: 'slipway.yaml' } } }));
});

interface Schema {
  readonly properties: Readonly<Record<string, Schema>>;
  readonly additionalProperties: Schema;
}

function part({ properties }: Schema, key: string): Schema {
  const found = properties[key];
  if (found === undefined) throw new Error(`no ${key}`);
  return found;
}

it('no key of a sheet or a destination is left out of that', () => {
  const read = (name: string): Schema =>
    JSON.parse(readFileSync(join(__dirname, `../../schemas/${name}.schema.json`), 'utf8')) as Schema;
  const keysOf = ({ properties }: Schema, at = ''): string[] => Object.keys(properties).map((key) => `${at}${key}`);
  const sheet = read('sheet');
  // Where results are shared, what is filled into templates, and what packages are held to changes no byte.
  const noBytes = ['advisories', 'fill', 'licences', 'packages', 'store'];
  expect(keysOf(sheet).sort()).toEqual([...noBytes, 'defaults', 'destinations', 'functions', 'project'].sort());
  const spec = part(sheet, 'functions').additionalProperties;
  const wanted = [...keysOf(spec), ...keysOf(part(spec, 'build'), 'build.')].filter((key) => key !== 'build');
  expect(Object.keys(FUNCTION_KEYS).sort()).toEqual(wanted.sort());
  expect(Object.keys(DEFAULT_KEYS).sort()).toEqual(keysOf(part(sheet, 'defaults')).sort());
  const place = read('destination');
  const offered = keysOf(part(place, 'runtimes').additionalProperties, 'runtimes.');
  // Of how it calls, what the bytes depend on; the rest is for calling alone.
  const calls = keysOf(part(place, 'calls'), 'calls.').filter((key) => /\.(?:event|context|shapes)$/.test(key));
  expect(Object.keys(DESTINATION_KEYS).sort()).toEqual([...keysOf(place), ...offered, ...calls].sort());
});
