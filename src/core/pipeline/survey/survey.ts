/** Surveys a folder: what sheet it could have, or what of its sheet no longer fits. */
import { join } from 'node:path';
import { yieldNow } from '../../base/yield';
import { EmballageError } from '../../base/errors';
import { baseOf, joinPath } from '../../base/paths';
import { projectFolder } from '../../disk/project-folder';
import { type SurveyedTree, type SurveyNote, type SurveyRequest } from '../../languages';
import { SHEET_NAME } from '../../project/open-project';
import type { Project } from '../../project/targets';
import {
  loadSheet,
  MAX_YAML_BYTES,
  openSheetEdits,
  type Known,
  readDestination,
  roughFunctions,
  type Destination,
  type RoughFunction,
} from '../../sheet';
import type { Machine } from '../../toolchains/machine';
import { driftOf, isStated, newFunctions, type Drift } from './drift';
import { openSurveys, proposed, proposeFunctions, slug, type ProposedFunction } from './propose';
import { destinationText, sheetText } from './sheet-text';
import { placeFor, understoodBy } from './speech';
import { readTree } from './tree';

export interface SurveyOptions {
  /** Absolute path of the folder. */
  readonly root: string;
  readonly machine: Machine;
  /** What a sheet is read with. */
  readonly known: Known;
  readonly onFolders: (count: number) => void;
  readonly onLanguage: (title: string) => void;
}

interface Walked {
  readonly folders: number;
  readonly files: number;
  readonly notes: readonly SurveyNote[];
}

export interface Proposal extends Walked {
  readonly functions: readonly ProposedFunction[];
  /** Files to write, relative to the folder; none where there are no functions. */
  readonly texts: readonly { readonly path: string; readonly text: string }[];
}

export interface Compared extends Walked {
  /** How many functions the sheet has. */
  readonly functions: number;
  readonly drifts: readonly Drift[];
}

const NEW_DESTINATION = 'host';

interface Opened {
  readonly request: SurveyRequest;
  readonly notes: SurveyNote[];
  readonly walked: { readonly folders: number; readonly files: number };
}

async function openFolder({ root, machine, onFolders }: SurveyOptions): Promise<Opened> {
  const { tree, walked } = await readTree(root, onFolders);
  const notes: SurveyNote[] = [...walked.notes];
  const known = new Set<string>();
  const onNote = (note: SurveyNote): void => {
    const key = `${note.where}\0${note.text}`;
    if (!known.has(key)) notes.push(note);
    known.add(key);
  };
  return { request: { tree, machine, onNote }, notes, walked: { folders: walked.folders.size, files: walked.files } };
}

/** What sheet a folder without one could have. */
export async function surveyFolder(options: SurveyOptions): Promise<Proposal> {
  const { request, notes, walked } = await openFolder(options);
  const { tree, machine } = request;
  const { root } = options;
  const surveys = await openSurveys(request);
  const all = await proposeFunctions(surveys, options.onLanguage);
  const there = await destinationThere(
    tree,
    options.known,
    all.map(({ language, found: one }) => language.runtime.offeredAs ?? one.runtime.value),
  );
  const place = placeFor(all, there?.destination);
  const found = understoodBy(place, all, request.onNote);
  const functions = found.map((one) => proposed(request, one, place));
  if (functions.length === 0) return { ...walked, notes, functions, texts: [] };
  const own = { name: NEW_DESTINATION, path: `destinations/${NEW_DESTINATION}.yaml` };
  const destination =
    there === undefined ? own : { name: there.destination.name, path: there.path, is: there.destination };
  const arch =
    there === undefined || there.destination.archs.includes(machine.arch)
      ? machine.arch
      : (there.destination.archs[0] ?? machine.arch);
  const sheet = sheetText({ project: slug(baseOf(root), 'project'), destination, arch, functions });
  const facts = { name: own.name, arch, functions, glibc: machine.glibc(), calls: place.calls };
  const made = { path: own.path, text: destinationText(facts) };
  return {
    ...walked,
    notes,
    functions,
    texts: [{ path: SHEET_NAME, text: sheet }, ...(there === undefined ? [made] : [])],
  };
}

/** The destination of the repository that offers most of what is wanted. */
async function destinationThere(
  tree: SurveyedTree,
  known: Known,
  wanted: readonly string[],
): Promise<{ readonly path: string; readonly destination: Destination } | undefined> {
  let best: { path: string; destination: Destination; offers: number } | undefined;
  for (const folder of ['destinations', ''])
    for (const name of (tree.folders.get(folder) ?? []).filter((one) => /\.ya?ml$/.test(one))) {
      const path = joinPath(folder, name);
      const text = tree.text(path) ?? '';
      if (!/^destination:/m.test(text)) continue;
      const { destination } = await readDestination(text, path, known);
      if (destination === undefined) continue;
      const offers = wanted.filter((one) => destination.runtimes.some((runtime) => runtime.name === one)).length;
      if (best === undefined || offers > best.offers) best = { path, destination, offers };
    }
  return best;
}

/** What of a project's sheet no longer fits. @param sheet its file, relative to the project */
export async function compareWithSheet(options: SurveyOptions, project: Project): Promise<Compared> {
  const { request, notes, walked } = await openFolder(options);
  const { tree } = request;
  const surveys = await openSurveys(request);
  const { functions } = project.sheet;
  const drifts: Drift[] = [];
  for (const spec of functions) {
    let texts: string | undefined;
    const isMentioned = (name: string): boolean =>
      new RegExp(`\\b${name}\\b`).test((texts ??= textsOf(tree, spec.source)));
    drifts.push(...driftOf(surveys, spec, project.sheet.destinations[spec.destination], isMentioned));
    await yieldNow();
  }
  const stated = await statedFunctions(tree, project);
  const found = await proposeFunctions(surveys, options.onLanguage);
  const place = placeFor(found, Object.values(project.sheet.destinations)[0]);
  const unstated = found.filter((one) => !isStated(one.found, stated));
  const all = understoodBy(place, unstated, request.onNote).map((one) => proposed(request, one, place));
  const gone = new Set(drifts.flatMap(({ drift, name }) => (drift === 'entry-gone' ? [name] : [])));
  // What a sheet's entry became is no new function beside it.
  const moved = functions.filter(({ name }) => gone.has(name)).map(({ source }) => source);
  const fresh = newFunctions(
    all,
    stated,
    functions.map(({ name }) => name),
  ).filter(({ where, level }) => level !== 'note' || !moved.includes(where ?? ''));
  return { ...walked, notes, functions: functions.length, drifts: [...drifts, ...fresh] };
}

/** Everything that stands in a source folder, for a look whether a name is in it. */
function textsOf(tree: SurveyedTree, source: string): string {
  const most = 64 * 1024 * 1024;
  let all = '';
  for (const path of tree.below(source)) {
    if (all.length > most) break;
    all += `${tree.text(path) ?? ''}\n`;
  }
  return all;
}

/** Functions of all sheets that lie side by side. */
async function statedFunctions(tree: SurveyedTree, project: Project): Promise<RoughFunction[]> {
  const own = project.sheet.functions.map(({ source, entry }) => ({ source, entryFile: entry.file }));
  const others = (tree.folders.get('') ?? []).filter((name) => /\.ya?ml$/.test(name) && !project.files.includes(name));
  const rough = await Promise.all(others.map((name) => roughFunctions(tree.text(name) ?? '')));
  return [...own, ...rough.flat()];
}

export interface Edited {
  readonly text: string;
  readonly made: readonly Drift[];
  /** What has to be done by hand. */
  readonly left: readonly Drift[];
}

/**
 * The text of a sheet with what drifted put right, as far as that can be done in place.
 * @param sheet its file, relative to the project
 * @throws EmballageError SHEET_INVALID where the outcome would be no sheet
 */
export async function editSheet(
  { root, languages }: Pick<Project, 'root' | 'languages'>,
  sheet: string,
  drifts: readonly Drift[],
): Promise<Edited> {
  const folder = projectFolder(root);
  let text = folder.read(sheet, 'reading the packing sheet', sheet, MAX_YAML_BYTES);
  const edits = await openSheetEdits();
  const made: Drift[] = [];
  const left: Drift[] = [];
  for (const drift of drifts) {
    const edited = drift.edit?.(edits, text);
    if (edited === undefined) left.push(drift);
    else {
      text = edited;
      made.push(drift);
    }
  }
  if (made.length > 0) await verify({ root, languages }, sheet, text);
  return { text, made, left };
}

/** Whether a text is a sheet, with everything else as it lies there. */
async function verify(
  { root, languages }: Pick<Project, 'root' | 'languages'>,
  sheet: string,
  text: string,
): Promise<void> {
  const folder = projectFolder(root);
  const edited = {
    ...folder,
    read: (path: string, ...rest: [string, string, number]) => (path === sheet ? text : folder.read(path, ...rest)),
  };
  await loadSheet(edited, sheet, (path) => path, languages);
}

/** @throws EmballageError where a file is there already */
export function refuseExisting(root: string, paths: readonly string[]): void {
  const folder = projectFolder(root);
  const there = paths.find((path) => folder.kind(path) !== 'missing');
  if (there === undefined) return;
  throw new EmballageError('USAGE', {
    doing: 'writing what was proposed',
    where: join(root, there),
    expected: 'no such file yet',
    found: 'one that is there',
    mend: 'move it away, or copy what is printed without --write',
  });
}
