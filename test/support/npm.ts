/** Node.js projects for tests, with packages from the stand-in registry. */
import { createHash } from 'node:crypto';
import { gzipSync } from 'node:zlib';
import { writeTar } from '../../src/core/formats/tar';
import { startTestIndex, type TestIndex } from './index';
import { pageAt } from './page';
import { folderWith, run, type Files } from './program';

export interface TestRegistry extends TestIndex {
  /** Address of the registry. */
  readonly npm: string;
}

/** Packages by `name@version`: their package.json beyond name and version, and their files. */
export type Packages = Readonly<Record<string, { readonly json?: object; readonly files: Files }>>;

export async function startRegistry(packages: Packages, options: readonly string[] = []): Promise<TestRegistry> {
  const files = Object.entries(packages).flatMap(([id, { json = {}, files: own }]) => {
    const [name, version] = splitId(id);
    const folder = id.replace(/[@/]/g, '_');
    // A licence that asks for nothing, so that checks have nothing to say of it.
    const manifest = JSON.stringify({ name, version, license: '0BSD', ...json });
    return [
      [`${folder}/package.json`, manifest],
      ...Object.entries(own).map(([path, text]) => [`${folder}/${path}`, text]),
    ];
  });
  const index = await startTestIndex(folderWith(Object.fromEntries(files) as Files), options);
  return { ...index, npm: index.url.replace('/simple', '/npm/') };
}

export function splitId(id: string): [name: string, version: string] {
  const at = id.lastIndexOf('@');
  return [id.slice(0, at), id.slice(at + 1)];
}

/** An entry of a package lock, as a registry describes the package. */
export async function lockEntry(registry: TestRegistry, id: string, more: object = {}): Promise<object> {
  const [name, version] = splitId(id);
  const { versions } = JSON.parse(await pageAt(`${registry.npm}${name.replace('/', '%2f')}`)) as {
    versions: Record<string, { dist: { tarball: string; integrity: string } }>;
  };
  const dist = versions[version]?.dist;
  return { version, resolved: dist?.tarball, integrity: dist?.integrity, ...more };
}

/** A package lock with those entries, by where they are installed. */
export function packageLock(manifest: object, entries: Readonly<Record<string, object>>): string {
  return JSON.stringify({ name: 'f', lockfileVersion: 3, packages: { '': manifest, ...entries } }, null, 2);
}

/** A tarball of a package with those members, as hostile as may be. */
export function tarball(members: Readonly<Record<string, string>>): Buffer {
  const all = Object.entries(members).map(([path, text]) => ({ path, content: Buffer.from(text), mode: 0o644 }));
  return gzipSync(writeTar(all, 0));
}

export function integrityOf(bytes: Buffer): string {
  return `sha512-${createHash('sha512').update(bytes).digest('base64')}`;
}

/** A project with one function `alert` in TypeScript or JavaScript. */
export function nodeProject(
  source: Files,
  keys: Readonly<Record<string, unknown>> = {},
  more: Files = {},
  destination: Readonly<Record<string, unknown>> = {},
): string {
  const spec = {
    source: 'src',
    runtime: 'node 20',
    entry: 'alert.mjs#decide',
    artifact: 'zip',
    arch: ['x86_64'],
    ...keys,
  };
  const below = Object.fromEntries(Object.entries(source).map(([path, content]) => [`src/${path}`, content]));
  return folderWith({
    'emballage.yaml': JSON.stringify({
      project: 'fernhaven-tides',
      destinations: { slipway: 'slipway.yaml' },
      defaults: { destination: 'slipway' },
      functions: { alert: spec },
    }),
    'slipway.yaml': JSON.stringify({
      destination: 'slipway',
      arch: ['x86_64', 'arm64'],
      accepts: { zip: { packed: '1 MiB' } },
      runtimes: { 'node 18': {}, 'node 20': { glibc: '2.36' }, 'node 22': {} },
      entry: { node: '{path}#{member}' },
      ...destination,
    }),
    'event.json': '{ "level": 447 }',
    ...below,
    ...more,
  });
}

/** Paths in the artifact of \`alert\`, from its waybill. */
export interface WaybillView {
  readonly entry: { readonly loads: { file: string; member: string }; readonly host: string };
  readonly files: readonly { path: string; origin: { from: string }; reason: { why: string; by?: string } }[];
  readonly modules: readonly { path: string; reason: { why: string; by?: string } }[];
  readonly trimmed: readonly { path: string; by: string }[];
  readonly unseen: readonly { file: string; kept: string }[];
}

/** What \`try\` answers to the event, and \`check\` finds. */
export function answerOf(root: string, env: Readonly<Record<string, string>> = {}): unknown {
  const { stdout, stderr } = run(root, ['try', 'alert', '--event', 'event.json', '--json'], { env });
  const { calls } = JSON.parse(stdout === '' ? '{"calls":[]}' : stdout) as {
    calls: { answer: { kind: string; json: string; failure: object } }[];
  };
  const answer = calls[0]?.answer;
  return answer?.kind === 'answered' ? (JSON.parse(answer.json) as unknown) : (answer?.failure ?? stderr);
}

export function findingsOf(root: string): string[] {
  const { stdout } = run(root, ['check', '--json']);
  const { artifacts } = JSON.parse(stdout) as {
    artifacts: { rules: { id: string; findings: { level: string; where?: string }[] }[] }[];
  };
  return (artifacts[0]?.rules ?? []).flatMap(({ id, findings }) =>
    findings.map(({ level, where = '' }) => `${level} ${id} ${where}`.trim()),
  );
}

/** A function that needs a package that needs another. */
export const LEVELS_MANIFEST = { dependencies: { levels: '^2.0.0' } };
export const LEVELS_ALERT =
  "import { word } from 'levels';\nexport const decide = (event) => word(event.data.level);\n";
export const LEVELS_PACKAGES = {
  'levels@2.0.0': {
    files: {
      'index.js': "exports.word = (cm) => require('shades').shade(cm) + (cm > 420 ? 'high' : 'low');\n",
      'README.md': 'x',
      'test/t.js': '1',
    },
  },
  'shades@1.0.0': { files: { 'index.js': "exports.shade = (cm) => (cm > 440 ? 'very ' : '');\n" } },
};

/** @param more what the entry of \`levels\` says differently */
export async function levelsLock(registry: TestRegistry, more: object = {}): Promise<Record<string, object>> {
  return {
    'node_modules/levels': await lockEntry(registry, 'levels@2.0.0', { dependencies: { shades: '^1.0.0' }, ...more }),
    'node_modules/shades': await lockEntry(registry, 'shades@1.0.0'),
  };
}

export async function levelsProject(registry: TestRegistry, lock?: Record<string, object>): Promise<string> {
  const files = {
    'alert.mjs': LEVELS_ALERT,
    'package.json': JSON.stringify(LEVELS_MANIFEST),
    'package-lock.json': packageLock(LEVELS_MANIFEST, lock ?? (await levelsLock(registry))),
  };
  return nodeProject(files, {}, { '.npmrc': `registry=${registry.npm}\n` });
}
