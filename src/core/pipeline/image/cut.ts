/**
 * Cuts the files of a function into layers by how often they change: packages, then layers that the sheet names, then the
 * function's own code on top, so that a change of code sends kilobytes.
 */
import { lstatSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { folderOf } from '../../base/paths';
import { stampOf } from '../../disk/stamp';
import { sortEntries } from '../../fileset/collect';
import { FILE_MODE, PROGRAM_MODE, type PackedEntry, type PackedFile } from '../../fileset/model';
import { makeSelection } from '../../fileset/selection';
import { givenMemory, givenTimeMs, isNative, type Destination, type Entry, type FunctionSpec } from '../../sheet';
import { generated, generatedBytes } from '../../project/made-files';
import type { Project } from '../../project/targets';

/** Where a function's files lie in its image, and what starts it. */
export const FUNCTION_FOLDER = 'function';
const STARTER_FOLDER = 'emballage';

/** A path in an image as the function has it; the same for paths outside its folder. */
export function functionPath(path: string): string {
  return path.startsWith(`${FUNCTION_FOLDER}/`) ? path.slice(FUNCTION_FOLDER.length + 1) : path;
}

export interface CutLayer {
  readonly name: string;
  /** In order of path, with the folders that they lie in. */
  readonly entries: readonly PackedEntry[];
}

export interface CutRequest {
  readonly project: Project;
  readonly spec: FunctionSpec;
  readonly destination: Destination | undefined;
  readonly entries: readonly PackedEntry[];
  /** What the host calls. */
  readonly hostEntry: Entry;
}

/** @returns layers with something in them, the lowest first */
export function cutLayers(request: CutRequest): CutLayer[] {
  const { spec } = request;
  const keys = spec.image;
  const own = (keys?.layers ?? []).map(({ name, files }) => ({ name, selection: makeSelection([], files) }));
  const groups = new Map<string, PackedEntry[]>(
    ['packages', ...own.map(({ name }) => name), 'function'].map((name) => [name, []]),
  );
  const java = spec.runtime.language === 'java' ? Number(spec.runtime.version) : undefined;
  for (const entry of java === undefined ? request.entries : forJava(request.entries, java)) {
    const wanted = own.find(({ selection }) => selection.keptBy(entry.path) !== undefined)?.name;
    const isPackage = entry.origin.from === 'package' || entry.origin.from === 'unlocked';
    const name = keys?.isWhole === true ? 'function' : (wanted ?? (isPackage ? 'packages' : 'function'));
    groups.get(name)?.push({ ...entry, path: `${FUNCTION_FOLDER}/${entry.path}` });
  }
  groups.get('function')?.push(...starter(request));
  return [...groups]
    .filter(([, entries]) => entries.length > 0)
    .map(([name, entries]) => ({ name, entries: withFolders(entries) }));
}

/** What starts a function, absolute paths in its image. @param program that runs it; undefined for native code */
export function startCommand(spec: FunctionSpec, hostEntry: Entry, program: string | undefined): string[] {
  const { language } = spec.runtime;
  const at = `/${STARTER_FOLDER}`;
  if (isNative(language)) return [`/${FUNCTION_FOLDER}/${hostEntry.file}`];
  const runs = program ?? `/usr/bin/${language === 'python' ? 'python3' : language}`;
  if (language === 'python') return [runs, '-B', '-s', '-X', 'utf8', `${at}/start.py`];
  if (language === 'java')
    return [
      ...[runs, '-XX:+ExitOnOutOfMemoryError', '-Dfile.encoding=UTF-8', '-cp', `${at}/start.jar:/${FUNCTION_FOLDER}`],
      ...['emballage.host.Lines', `${at}/start.json`],
    ];
  return [runs, `${at}/start.mjs`];
}

const STARTERS: Readonly<Record<string, string>> = {
  node: 'node/run/start.mjs',
  python: 'python/run/start.py',
  java: 'jvm/run/runner.jar',
};

/** The program that calls the function with events, and what it has to know. */
function starter({ project, spec, destination, hostEntry }: CutRequest): PackedFile[] {
  const name = STARTERS[spec.runtime.language];
  if (name === undefined) return [];
  const { file, member } = hostEntry;
  const plan = {
    name: spec.name,
    root: `/${FUNCTION_FOLDER}`,
    ...(spec.runtime.language === 'java' ? { className: file } : { file }),
    member,
    memory: givenMemory(spec, destination),
    timeoutMs: givenTimeMs(spec, destination),
  };
  const program = generatedBytes(project, readFileSync(join(__dirname, '../../languages', name)));
  const facts = generated(project, `${JSON.stringify(plan)}\n`);
  return [made(`start.${name.replace(/^.*\./, '')}`, program), made('start.json', facts)];
}

function made(name: string, content: { source: string; size: number; sha256: string }): PackedFile {
  return {
    path: `${STARTER_FOLDER}/${name}`,
    kind: 'file',
    mode: FILE_MODE,
    origin: { from: 'generated', by: 'emballage' },
    reason: { why: 'made-for', by: 'starting the function' },
    stamp: stampOf(lstatSync(content.source)),
    ...content,
  };
}

const VERSIONED = /^META-INF\/versions\/(\d+)\/(.+)$/;

/** Classes for particular versions of Java count only in JAR files (JEP 238); in a folder the right ones take their place. */
function forJava(entries: readonly PackedEntry[], java: number): PackedEntry[] {
  const chosen = new Map<string, { readonly version: number; readonly entry: PackedEntry }>();
  for (const entry of entries) {
    const [, digits, plain] = VERSIONED.exec(entry.path) ?? [];
    const version = Number(digits ?? 0);
    const path = plain ?? entry.path;
    const before = chosen.get(path);
    if (version > java || (before !== undefined && before.version > version)) continue;
    chosen.set(path, { version, entry: plain === undefined ? entry : { ...entry, path } });
  }
  return [...chosen.values()].map(({ entry }) => entry);
}

/** A layer says every folder that it has something in, so that it comes out the same on every base. */
function withFolders(entries: readonly PackedEntry[]): PackedEntry[] {
  const folders = new Map<string, PackedEntry>();
  const said = new Set(entries.filter(({ kind }) => kind === 'folder').map(({ path }) => path));
  for (const { path } of entries)
    for (
      let folder = folderOf(path);
      folder !== '' && !folders.has(folder) && !said.has(folder);
      folder = folderOf(folder)
    )
      folders.set(folder, {
        path: folder,
        kind: 'folder',
        mode: PROGRAM_MODE,
        origin: { from: 'generated', by: 'emballage' },
        reason: { why: 'made-for', by: 'what lies in it' },
      });
  return sortEntries([...entries, ...folders.values()]);
}
