/** Node.js applications for tests: assembled in this process, and run in one of Node.js by itself. */
import { spawnSync } from 'node:child_process';
import { mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileDigest } from '../../src/core/disk/digest';
import {
  assembleNode,
  ModuleBook,
  ModulePool,
  Modules,
  ownerOf,
  readFunctionCompiler,
  type NodeAssembled,
  type NodeFile,
} from '../../src/core/languages/node/assemble/assembling';
import { folderWith, type Files } from './program';

export interface AppOptions {
  readonly entry?: string;
  readonly link?: boolean;
  readonly minify?: boolean;
  readonly trim?: 'off' | 'safe' | 'traced';
  readonly sourcemap?: 'inline' | 'beside' | 'none';
  readonly nodeEnv?: string;
  readonly major?: number;
  readonly keep?: string;
}

export interface App {
  /** Folder with the sources, and folder with what was packed. */
  readonly source: string;
  readonly packed: string;
  readonly assembled: NodeAssembled;
  /** Texts of what was packed, by path. */
  readonly files: Readonly<Record<string, string>>;
}

/** Packs an application as the pipeline would, into a folder. */
export async function packApp(sources: Files, options: AppOptions = {}): Promise<App> {
  const source = folderWith(sources);
  const packed = folderWith({});
  const files = listFiles(source).map((path): NodeFile => {
    const owner = ownerOf(path);
    const absolute = join(source, path);
    return {
      path,
      source: absolute,
      sha256: () => fileDigest(absolute),
      size: statSync(absolute).size,
      owner,
      isOwn: owner === '',
    };
  });
  const { entry = 'app.mjs', link = true, minify = false, trim = 'traced', sourcemap = 'none', major = 20 } = options;
  const own = new Set(files.filter(({ isOwn }) => isOwn).map(({ path }) => path));
  const hasSettings = own.has('tsconfig.json');
  const pool = new ModulePool(1);
  const assembled = await assembleNode({
    files: files.sort((a, b) => (a.path < b.path ? -1 : 1)),
    trim,
    link,
    minify,
    sourcemap,
    entry: { file: entry, member: 'run' },
    isStrict: false,
    asked: undefined,
    keptBy: (path) => (path === options.keep ? path : undefined),
    cpu: 'x64',
    libc: 'glibc',
    requiresEsm: major >= 20,
    nodeEnv: options.nodeEnv,
    compiler: readFunctionCompiler({
      settings: hasSettings ? join(source, 'tsconfig.json') : undefined,
      root: source,
      major,
      sourcemap: sourcemap !== 'none',
      isOwn: (path) => own.has(path),
    }),
    modules: new Modules(new ModuleBook(undefined), pool),
    pool,
    mentionsOf: (_owner, read) => read(),
    sourceName: (path) => `src/${path}`,
  });
  const texts: Record<string, string> = {};
  for (const { path, file, text } of assembled.placed) {
    const content = text ?? readFileSync(file?.source ?? '');
    mkdirSync(dirname(join(packed, path)), { recursive: true });
    writeFileSync(join(packed, path), content);
    texts[path] = content.toString();
  }
  return { source, packed, assembled, files: texts };
}

function listFiles(root: string, folder = ''): string[] {
  return readdirSync(join(root, folder), { withFileTypes: true }).flatMap((entry) => {
    const path = folder === '' ? entry.name : `${folder}/${entry.name}`;
    return entry.isDirectory() ? listFiles(root, path) : [path];
  });
}

const RUNNER = `
const out = [];
for (const file of JSON.parse(process.argv[2])) {
  globalThis.order = [];
  try {
    const module = await import('file://' + file);
    const run = module.run ?? module.default.run;
    out.push({ answer: (await run()) ?? null, order: globalThis.order });
  } catch (error) {
    out.push({ error: error.name + ': ' + String(error.message).split('\\n')[0].replaceAll(/'[^']*[/]/g, "'").replace(/access '\\w+'/, 'access it'), stack: error.stack });
  }
}
console.log(JSON.stringify(out));`;

export interface Outcome {
  readonly answer?: unknown;
  /** What modules pushed to the global list \`order\` as they ran. */
  readonly order?: readonly string[];
  readonly error?: string;
  readonly stack?: string;
}

/** Calls \`run\` of each module, all in one process. */
export function runModules(files: readonly string[], args: readonly string[] = []): Outcome[] {
  const runner = join(folderWith({ 'runner.mjs': RUNNER }), 'runner.mjs');
  const node = ['--no-warnings', ...args, runner, JSON.stringify(files)];
  const { stdout, stderr } = spawnSync(process.execPath, node, { encoding: 'utf8', env: { PATH: process.env.PATH } });
  const last = stdout.trim().split('\n').at(-1) ?? '';
  if (!last.startsWith('[')) throw new Error(`no answer: ${stderr}`);
  return JSON.parse(last) as Outcome[];
}
