/** Runs the built program on projects in temporary folders. */
import { spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, realpathSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { needsProcess, runHere } from './in-process';

export const PROGRAM = join(__dirname, '../../bin/emballage.js');

/** What of a state folder only the version of the tool that made it reads. */
export const CODE_FOLDER = `code-${readFileSync(join(__dirname, '../../dist/code.txt'), 'utf8').trim()}`;

export interface Outcome {
  readonly status: number | null;
  readonly stdout: string;
  readonly stderr: string;
}

export interface RunOptions {
  readonly env?: Readonly<Record<string, string | undefined>>;
}

/** Runs a command in a folder, without colours; in a process of its own only where its environment asks for one. */
export function run(cwd: string, args: readonly string[], options: RunOptions = {}): Outcome {
  if (needsProcess(options.env ?? {})) return start(cwd, args, options);
  return runHere(PROGRAM, { cwd, args, env: environmentOf(cwd, options) });
}

/** Starts the program as a person does. */
export function start(cwd: string, args: readonly string[], options: RunOptions = {}): Outcome {
  const { status, stdout, stderr } = spawnSync(process.execPath, [PROGRAM, ...args], {
    cwd,
    env: environmentOf(cwd, options),
    encoding: 'utf8',
    maxBuffer: 64 << 20,
  });
  return { status, stdout, stderr };
}

function environmentOf(cwd: string, { env }: RunOptions): NodeJS.ProcessEnv {
  return { ...environment(cwd), SOURCE_DATE_EPOCH: undefined, ...env };
}

/** Where package managers would ask is no business of tests: they name their sources, or set these for themselves. */
const NO_SETTINGS =
  /^(?:pip_|npm_config_|goproxy$|goprivate$|gonoproxy$|cargo_(?:source|registr|http)|https?_proxy$|no_proxy$)/i;

/** The environment of a command that runs in a folder: each has a folder for caches of its own. */
export function environment(cwd: string): NodeJS.ProcessEnv {
  const kept = Object.entries(process.env).filter(([name]) => !NO_SETTINGS.test(name));
  const none = {
    PIP_CONFIG_FILE: '/dev/null',
    npm_config_userconfig: '/none',
    npm_config_globalconfig: '/none/global',
  };
  return { ...Object.fromEntries(kept), ...none, NO_COLOR: '1', XDG_CACHE_HOME: cachesOf(cwd), GOCACHE: GO_CACHE };
}

/** What Go’s compiler made of its own library, known by its content. */
const GO_CACHE = join(__dirname, '../../node_modules/.cache/emballage-go');

const caches = new Map<string, string>();

/** What the runtime makes of the program is the same for all. */
const STARTED = join(__dirname, '../../node_modules/.cache/emballage-started', CODE_FOLDER);
mkdirSync(STARTED, { recursive: true });

/** The user's folder for caches, as commands in a folder see it. */
export function cachesOf(cwd: string): string {
  const known = caches.get(cwd);
  if (known !== undefined) return known;
  const made = folderWith({ [`emballage/${CODE_FOLDER}/started`]: (path) => symlinkSync(STARTED, path) });
  caches.set(cwd, made);
  return made;
}

/** As if nothing had ever been built in a project, and nothing fetched. */
export function forget(root: string): void {
  rmSync(join(root, '.emballage'), { recursive: true, force: true });
  caches.delete(root);
}

/** A PATH with these programs on it, as far as they are here, and no others. */
export function pathTo(...programs: readonly string[]): string {
  const folder = join(folderWith({}), 'bin');
  mkdirSync(folder);
  for (const program of programs) {
    const { stdout } = spawnSync('sh', ['-c', 'command -v "$1"', 'sh', program], { encoding: 'utf8' });
    if (stdout.startsWith('/')) symlinkSync(realpathSync(stdout.trim()), join(folder, program));
  }
  return folder;
}

/** Files by path; a function makes something that is no plain file. */
export type Files = Readonly<Record<string, string | Buffer | ((path: string) => void)>>;

const made: string[] = [];

/** A fresh folder with files in it; removed when the tests of the file are over. */
export function folderWith(files: Files): string {
  const root = realpathSync(mkdtempSync(join(tmpdir(), 'emballage-test-')));
  made.push(root);
  put(root, files);
  return root;
}

export function put(root: string, files: Files): void {
  for (const [path, content] of Object.entries(files)) {
    mkdirSync(dirname(join(root, path)), { recursive: true });
    if (typeof content === 'function') content(join(root, path));
    else writeFileSync(join(root, path), content);
  }
}

afterAll(() => made.splice(0).forEach((root) => rmSync(root, { recursive: true, force: true })));

export const DESTINATION = `destination: slipway
arch: [x86_64, arm64]
accepts:
  zip: { packed: 1 MiB, unpacked: 4 MiB, files: 100, one-file: 2 MiB }
runtimes:
  node 18: { ends: "2025-04-30" }
  node 20: {}
entry: { node: "{module}.{member}" }
memory: { least: 96 MiB, most: 6 GiB }
timeout: { most: 20 min }
settings: { total: 1 KiB, reserved: ["HOST_*"], required: [] }
`;

/** A project with one function `horn`, whose keys may be changed or added, and its source files. */
export function project(source: Files, keys: Readonly<Record<string, unknown>> = {}, more: Files = {}): string {
  const spec = {
    source: 'src',
    runtime: 'node 20',
    entry: 'horn.mjs#sound',
    artifact: 'zip',
    arch: ['arm64'],
    ...keys,
  };
  const sheet = {
    project: 'fernhaven-tides',
    destinations: { slipway: 'slipway.yaml' },
    defaults: { destination: 'slipway' },
    functions: { horn: spec },
  };
  const below = Object.fromEntries(Object.entries(source).map(([path, content]) => [`src/${path}`, content]));
  // JSON is YAML.
  return folderWith({
    'emballage.yaml': JSON.stringify(sheet, null, 1),
    'slipway.yaml': DESTINATION,
    ...below,
    ...more,
  });
}

export const HORN = 'export function sound(event) {\n  return { blasts: event.data.blasts };\n}\n';
export const ARTIFACT = 'out/horn/arm64/horn.zip';
