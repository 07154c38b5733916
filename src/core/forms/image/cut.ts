/**
 * Cuts the files of a function into layers by how often they change: packages, then layers that the sheet names, then the
 * function's own code on top, so that a change of code sends kilobytes.
 */
import { lstatSync, readFileSync } from 'node:fs';
import { foldersAbove } from '../../base/paths';
import { present } from '../../base/present';
import { stampOf } from '../../disk/stamp';
import { sortEntries } from '../../fileset/collect';
import {
  FILE_MODE,
  PROGRAM_MODE,
  type Origin,
  type PackedEntry,
  type PackedFile,
  type Reason,
} from '../../fileset/model';
import { makeSelection } from '../../fileset/selection';
import type { ImageRun } from '../../languages';
import { callsOf, givenMemory, givenTimeMs, type Destination, type Entry, type FunctionSpec } from '../../sheet';
import { generated, generatedBytes } from '../../project/state/made-files';
import type { Project } from '../../project/targets';

/** Where a function's files lie in its image, and what starts it. */
export const FUNCTION_FOLDER = 'function';
const STARTER_FOLDER = 'emballage';

/** Where a path of the function is in its image. */
export function placedPath(path: string): string {
  return `${FUNCTION_FOLDER}/${path}`;
}

/** A path in an image as the function has it; the same for paths outside its folder. */
export function functionPath(path: string): string {
  return path.startsWith(`${FUNCTION_FOLDER}/`) ? path.slice(FUNCTION_FOLDER.length + 1) : path;
}

/** Largest body of a request that starters take. */
const MOST_BODY_BYTES = 16 * 1024 * 1024;

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
  /** How images start functions of its language. */
  readonly run: ImageRun;
}

/** @returns layers with something in them, the lowest first */
export function cutLayers(request: CutRequest): CutLayer[] {
  const { spec } = request;
  const keys = spec.image;
  const own = (keys?.layers ?? []).map(({ name, files }) => ({ name, selection: makeSelection([], files) }));
  const groups = new Map<string, PackedEntry[]>(
    ['packages', ...own.map(({ name }) => name), 'function'].map((name) => [name, []]),
  );
  const { run, entries: all } = request;
  for (const entry of run.entries?.(all, spec.runtime.version) ?? all) {
    const wanted = own.find(({ selection }) => selection.keptBy(entry.path) !== undefined)?.name;
    const isPackage = entry.origin.from === 'package' || entry.origin.from === 'unlocked';
    const name = keys?.isWhole === true ? 'function' : (wanted ?? (isPackage ? 'packages' : 'function'));
    groups.get(name)?.push({ ...entry, path: placedPath(entry.path) });
  }
  groups.get('function')?.push(...starter(request));
  return [...groups]
    .filter(([, entries]) => entries.length > 0)
    .map(([name, entries]) => ({ name, entries: withFolders(entries) }));
}

/** What starts a function, absolute paths in its image. @param program that runs it, where its base has one */
export function startCommand(
  { run, hostEntry }: Pick<CutRequest, 'run' | 'hostEntry'>,
  program: string | undefined,
): string[] {
  return run.command({ program, starters: `/${STARTER_FOLDER}`, root: `/${FUNCTION_FOLDER}`, hostEntry });
}

/** The program that calls the function with events, and what it has to know. */
function starter({ project, spec, destination, hostEntry, run }: CutRequest): PackedFile[] {
  if (run.starter === undefined) return [];
  const calls = callsOf(destination);
  const plan = {
    name: spec.name,
    root: `/${FUNCTION_FOLDER}`,
    ...run.plan(hostEntry),
    member: hostEntry.member,
    memory: givenMemory(spec, destination),
    timeoutMs: givenTimeMs(spec, destination),
    event: calls.event,
    context: calls.context,
    speaks: calls.image,
    isWeb: spec.adapter !== undefined,
    concurrency: calls.concurrency,
    stopMs: calls.stopMs,
    mostBytes: MOST_BODY_BYTES,
    ...present({ health: calls.health }),
  };
  const program = generatedBytes(project, readFileSync(run.starter.path));
  const facts = generated(project, `${JSON.stringify(plan)}\n`);
  return [made(run.starter.name, program), made('start.json', facts)];
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

/** A layer says every folder that it has something in, so that it comes out the same on every base. */
function withFolders(entries: readonly PackedEntry[]): PackedEntry[] {
  const said = new Set(entries.filter(({ kind }) => kind === 'folder').map(({ path }) => path));
  const open = [...foldersAbove(entries.map(({ path }) => path))].filter((path) => !said.has(path));
  const reason: Reason = { why: 'made-for', by: 'what lies in it' };
  const origin: Origin = { from: 'generated', by: 'emballage' };
  const folders = open.map((path): PackedEntry => ({ path, kind: 'folder', mode: PROGRAM_MODE, origin, reason }));
  return sortEntries([...entries, ...folders]);
}
