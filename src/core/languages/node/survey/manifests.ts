/** The package.json files of a repository, and what they say of versions and of the file that counts. */
import picomatch from 'picomatch';
import { messageOf } from '../../../base/errors';
import { baseOf, folderOf, joinPath, settlePath, upwards, within } from '../../../base/paths';
import { firstIn, type Reasoned, type SurveyRequest } from '../../surveying';
import { lockSpeaksOf } from '../locks/needs';
import { asRecord, LOCKS } from '../packages';
import { allowsEngine, lowestMajor } from '../locks/versions';

export interface FoundManifest {
  readonly folder: string;
  readonly name: string | undefined;
  /** File that it names, as it is written. */
  readonly main: string | undefined;
  readonly engine: string | undefined;
  readonly isWorkspaceRoot: boolean;
  /** Patterns of the folders that are its workspaces. */
  readonly workspaces: readonly string[];
  readonly dependencies: readonly string[];
}

const MANIFEST = 'package.json';

/** By folder. What cannot be read is told, and passed over. */
export function readManifests({ tree, onNote }: SurveyRequest): Map<string, FoundManifest> {
  const found = new Map<string, FoundManifest>();
  for (const [folder, names] of tree.folders) {
    if (!names.includes(MANIFEST)) continue;
    const path = joinPath(folder, MANIFEST);
    try {
      const text = tree.text(path);
      if (text === undefined) throw new Error('it cannot be read as text');
      found.set(folder, manifestOf(folder, JSON.parse(text), names.includes('pnpm-workspace.yaml')));
    } catch (error) {
      onNote({ where: path, text: `passed over: ${messageOf(error)}` });
    }
  }
  return found;
}

function manifestOf(folder: string, value: unknown, hasWorkspaceFile: boolean): FoundManifest {
  const manifest = asRecord(value);
  const workspaces = asRecord(manifest.workspaces).packages ?? manifest.workspaces;
  const text = (one: unknown): string | undefined => (typeof one === 'string' && one !== '' ? one : undefined);
  return {
    folder,
    name: text(manifest.name),
    main: text(manifest.main) ?? text(manifest.module) ?? mainExport(manifest.exports),
    engine: text(asRecord(manifest.engines).node),
    isWorkspaceRoot: manifest.workspaces !== undefined || hasWorkspaceFile,
    workspaces: (Array.isArray(workspaces) ? (workspaces as unknown[]) : []).map(String),
    dependencies: Object.keys(asRecord(manifest.dependencies)),
  };
}

/** `exports`, `exports["."]`, and the first condition in them that leads to a file. */
function mainExport(value: unknown, depth = 0): string | undefined {
  if (typeof value === 'string') return value;
  if (depth > 4) return undefined;
  const record = asRecord(value);
  for (const key of ['.', 'import', 'node', 'default', 'require']) {
    const found = record[key] === undefined ? undefined : mainExport(record[key], depth + 1);
    if (found !== undefined) return found;
  }
  return undefined;
}

/** The source that the main file of a package is, or was compiled from. */
export function mainSource({ tree }: SurveyRequest, { folder, main }: FoundManifest): string | undefined {
  const written = settlePath(joinPath(folder, main ?? 'index.js'));
  if (written === undefined) return undefined;
  const stem = written.replace(/\.[cm]?jsx?$/, '');
  const stems = [stem, ...['dist', 'build', 'lib', 'out'].map((made) => stem.replace(`${made}/`, 'src/'))];
  const endings = ['.js', '.mjs', '.cjs', '.ts', '.mts', '.cts', '.tsx', '/index.js', '/index.ts'];
  return [written, ...stems.flatMap((one) => endings.map((ending) => one + ending))].find((path) => tree.has(path));
}

const VERSION_FILES = ['.nvmrc', '.node-version'];

/** The major version, by what is stated nearest to a folder. */
export function versionFor(
  { tree, machine }: SurveyRequest,
  folder: string,
  manifests: ReadonlyMap<string, FoundManifest>,
): Reasoned & { readonly fits: (version: string) => boolean } {
  const here = machine.self.version.split('.')[0] ?? '';
  for (const above of upwards(folder)) {
    const file = firstIn(tree, above, VERSION_FILES);
    const [, pinned] = /^v?(\d+)(?:\.|\s|$)/.exec(file === undefined ? '' : (tree.text(file) ?? '').trim()) ?? [];
    if (file !== undefined && pinned !== undefined)
      return { value: `node ${pinned}`, why: `${file} says so`, fits: (version) => version === pinned };
    const range = manifests.get(above)?.engine;
    if (range === undefined) continue;
    const lowest = lowestMajor(range);
    const value = allowsEngine(range, Number(here), undefined) ? here : String(lowest ?? here);
    return {
      value: `node ${value}`,
      why: `${joinPath(above, MANIFEST)} asks for ${range}`,
      fits: (version) => allowsEngine(range, Number(version), undefined),
    };
  }
  return { value: `node ${here}`, why: 'stated nowhere; what this machine has', fits: () => true };
}

/** Where the packages of a folder stand, or what is lacking. */
export function needsFor(
  { tree }: SurveyRequest,
  { folder, dependencies }: FoundManifest,
  manifests: ReadonlyMap<string, FoundManifest>,
): { readonly lock?: string; readonly lacking?: string } {
  const own = firstIn(tree, folder, LOCKS);
  if (own !== undefined) return { lock: own };
  for (const above of upwards(folderOf(folder)).filter(() => folder !== '')) {
    const lock = firstIn(tree, above, LOCKS);
    const isMember = isMatchOf(manifests.get(above), within(above, folder));
    if (lock !== undefined && (isMember || lockSpeaksOf(lock, tree.text(lock) ?? '', within(above, folder))))
      return { lock };
  }
  if (dependencies.length === 0) return {};
  const lacking = `no lock speaks of ${joinPath(folder, MANIFEST)}: write one, as by \`npm install --package-lock-only\``;
  return { lacking };
}

function isMatchOf(manifest: FoundManifest | undefined, folder: string): boolean {
  const patterns = (manifest?.workspaces ?? []).map((one) => one.replace(/^\.\/|\/+$/g, ''));
  return patterns.length > 0 && picomatch.isMatch(folder, patterns);
}

/** Names by which folders of the repository are imported. */
export function workspaceNames(manifests: ReadonlyMap<string, FoundManifest>): Map<string, FoundManifest> {
  const named = [...manifests.values()].flatMap((one) => (one.name === undefined ? [] : [[one.name, one] as const]));
  return new Map(named);
}

/** What only configures tools, or tests. */
export function isBesides(path: string): boolean {
  return /\.(?:test|spec|stories|bench|config|conf|setup|min)\.[cm]?[jt]sx?$|^\.|^(?:gulp|grunt)file\./i.test(
    baseOf(path),
  );
}
