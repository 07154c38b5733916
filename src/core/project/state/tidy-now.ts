/** Removes at once what is of no use any more: what nothing refers to, what was not used for long, what is too much. */
import { existsSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { namesIn } from '../../disk/names-in';
import { isAbandoned } from '../../disk/write';
import { KINDS, isCodeFolder, SCRATCH, type StateFolder, type StateKind } from './state';
import { lookAt, remove, thingsIn, usedByOthers } from './tidy';

export interface TidyRequest {
  readonly state: StateFolder;
  /** Those of the project, and of the user where that is asked for. */
  readonly kinds: readonly StateKind[];
  /** What was not used for so long goes. */
  readonly olderMs?: number;
  /** The least recently used goes until no more than that is left. */
  readonly overBytes?: number;
  /** Nothing is removed, only told. */
  readonly isDry: boolean;
}

export type TidyWhy =
  'left by a stopped run' | 'of another version of the tool' | 'of no function' | 'old' | 'too much';

export interface Tidied {
  /** Kind of thing: `artifacts`. */
  readonly kind: string;
  readonly why: TidyWhy;
  readonly things: number;
  readonly bytes: number;
}

interface Candidate {
  readonly kind: string;
  readonly paths: readonly string[];
  readonly bytes: number;
  readonly usedMs: number;
}

/** @returns what went, and how many bytes are left. The caller holds the build lock. */
export function tidyNow(request: TidyRequest): { readonly went: Tidied[]; readonly leftBytes: number } {
  const { state, kinds, olderMs, overBytes, isDry } = request;
  const went = new Map<string, Tidied>();
  const drop = ({ kind, paths, bytes }: Candidate, why: TidyWhy): void => {
    const key = `${kind} ${why}`;
    const known = went.get(key) ?? { kind, why, things: 0, bytes: 0 };
    went.set(key, { ...known, things: known.things + 1, bytes: known.bytes + bytes });
    if (!isDry) paths.forEach(remove);
  };
  for (const one of stoppedRuns(state)) drop(one, 'left by a stopped run');
  for (const one of otherVersions(state)) drop(one, 'of another version of the tool');
  const names = functionNames(state);
  const left: Candidate[] = [];
  for (const kind of kinds) {
    const folder = state.folder(kind);
    const { things, leftovers } = thingsIn(folder, true);
    const candidate = (thing: (typeof things)[number]): Candidate => ({
      kind: kind.name,
      bytes: thing.bytes,
      usedMs: thing.usedMs,
      paths: thing.names.map((name) => join(folder, name)),
    });
    const mayBeUsed = usedByOthers(state, kind);
    for (const one of leftovers) if (!mayBeUsed(one.usedMs)) drop(candidate(one), 'left by a stopped run');
    for (const one of things) {
      const isOfNone =
        kind.byFunction === true &&
        names !== undefined &&
        !one.names.some((name) => names.has(name.split('.')[0] ?? ''));
      if (isOfNone) drop(candidate(one), 'of no function');
      else if (olderMs !== undefined && state.now() - one.usedMs > olderMs) drop(candidate(one), 'old');
      else left.push(candidate(one));
    }
  }
  let leftBytes = left.reduce((sum, { bytes }) => sum + bytes, 0);
  for (const one of [...left].sort((a, b) => a.usedMs - b.usedMs)) {
    if (overBytes === undefined || leftBytes <= overBytes) break;
    drop(one, 'too much');
    leftBytes -= one.bytes;
  }
  return { went: [...went.values()], leftBytes };
}

/** The functions of all sheets of the project, which share its state folder; undefined where that is not known. */
function functionNames(state: StateFolder): ReadonlySet<string> | undefined {
  const names = new Set<string>();
  const remembered = namesIn(state.folder(KINDS.sheets));
  for (const name of remembered) {
    const cache = state.recall(KINDS.sheets, name) as SheetMemory | undefined;
    const sheet = name.replace(/\.json$/, '');
    if (!existsSync(join(state.root, sheet))) continue;
    for (const spec of cache?.sheet?.functions ?? []) names.add(spec.name);
  }
  // A sheet that no command has read yet may have functions, too.
  const sheets = readdirSync(state.root).filter((name) => /\.ya?ml$/.test(name));
  return sheets.length > 0 && sheets.every((name) => remembered.includes(`${name}.json`)) ? names : undefined;
}

interface SheetMemory {
  readonly sheet?: { readonly functions?: readonly { readonly name: string }[] };
}

/** Their folders, and files beside the kinds. */
function stoppedRuns(state: StateFolder): Candidate[] {
  const scratch = join(state.path, SCRATCH);
  const folders = namesIn(scratch).filter((name) => state.isStopped(name));
  const files = [state.path, state.caches].flatMap((place) =>
    namesIn(place).flatMap((name) => (isAbandoned(name) ? [join(place, name)] : [])),
  );
  return [...folders.map((name) => join(scratch, name)), ...files].map((path) => candidateAt(path, SCRATCH));
}

function otherVersions(state: StateFolder): Candidate[] {
  return namesIn(state.path)
    .filter((name) => isCodeFolder(name) && name !== state.codeFolder)
    .map((name) => candidateAt(join(state.path, name), 'all kinds'));
}

function candidateAt(path: string, kind: string): Candidate {
  const { bytes = 0, usedMs = 0 } = lookAt(path, true) ?? {};
  return { kind, paths: [path], bytes, usedMs };
}
