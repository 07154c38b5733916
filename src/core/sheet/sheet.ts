/** Reads a packing sheet and the destinations it names; collects every mistake in all of them. */
import { EmballageError, type Problem } from '../base/errors';
import { printable } from '../base/text';
import type { ProjectFolder } from '../disk/project-folder';
import { readDestination } from './destination';
import { settleFill } from './keys/fill-key';
import { FunctionReader, patchFunction } from './function';
import type { OpenKeys, OpenWay } from './part';
import { isMapping, validate } from './text/issues';
import { MAX_YAML_BYTES, type Destination, type Sheet } from './model';
import { SheetNotes } from './text/notes';
import type { Known } from './runtimes';
import { functionSchema, sheetSchema } from './schema';
import { NAME_PATTERN } from './text/schema-words';
import { settlePapers } from './keys/papers-keys';
import { settleStore } from './keys/store-key';
import { readYaml, type YamlFile } from './text/yaml';

/** A file that the sheet's meaning depends on, with its text. */
export interface ReadFile {
  readonly path: string;
  readonly text: string;
}

export interface LoadedSheet {
  readonly sheet: Sheet;
  readonly files: readonly ReadFile[];
}

/**
 * Loads a sheet.
 * @param path the sheet, relative to the project folder
 * @param shown turns a path relative to the project into the name shown in messages
 * @throws EmballageError SHEET_INVALID with all problems, or what reading the files throws
 */
export async function loadSheet(
  project: ProjectFolder,
  path: string,
  shown: (path: string) => string,
  known: Known,
): Promise<LoadedSheet> {
  const text = project.read(path, 'reading the packing sheet', shown(path), MAX_YAML_BYTES);
  const open = await openKeys(known);
  return new SheetReader({ project, shown, known, open }, { path, text }).read();
}

/** The keys of each language and form, in their order. */
export async function openKeys({ all, forms, ways }: Known): Promise<OpenKeys> {
  return {
    languages: await Promise.all(all.map(async (language) => ({ language, keys: await language.sheet.open() }))),
    ways: await openWays(ways),
    forms: await Promise.all(forms.map(async (form) => ({ form, keys: await form.openKeys?.(all) }))),
  };
}

/** What `deliver` says of each way. */
export async function openWays(ways: Known['ways']): Promise<OpenWay[]> {
  return Promise.all(ways.map(async (way) => ({ way, keys: await way.openKeys() })));
}

interface Reading {
  readonly project: ProjectFolder;
  readonly shown: (path: string) => string;
  readonly known: Known;
  readonly open: OpenKeys;
}

class SheetReader {
  readonly #project: ProjectFolder;
  readonly #shown: (path: string) => string;
  readonly #yaml: YamlFile;
  readonly #files: ReadFile[];
  readonly #notes: SheetNotes;
  readonly #problems: Problem[];
  readonly #known: Known;
  readonly #open: OpenKeys;

  constructor({ project, shown, known, open }: Reading, sheet: ReadFile) {
    this.#known = known;
    this.#open = open;
    this.#project = project;
    this.#shown = shown;
    this.#files = [sheet];
    this.#yaml = readYaml(sheet.text, shown(sheet.path));
    this.#notes = new SheetNotes(this.#yaml, project);
    this.#problems = this.#notes.problems;
  }

  read(): LoadedSheet {
    const raw = this.#yaml.value;
    if (raw === undefined) throw this.#error();
    // The parts are looked at one by one, so that a mistake in one does not hide those in another.
    const whole = validate(sheetSchema(this.#known, this.#open), raw, this.#yaml, this.#known);
    const patching = { known: this.#known, schema: functionSchema(this.#known, this.#open) };
    const reader = new FunctionReader(this.#notes, this.#open);
    this.#problems.push(...whole.problems);
    const root = isMapping(raw) ? raw : {};
    const destinations = this.#readDestinations(isMapping(root.destinations) ? root.destinations : {});
    const defaults = whole.value?.defaults ?? {};
    const functions = Object.entries(isMapping(root.functions) ? root.functions : {}).flatMap(([name, value]) => {
      this.#checkName(['functions', name], name);
      const rough = isMapping(root.defaults) ? root.defaults : {};
      const text = isMapping(value) ? patchFunction(value, Object.keys(destinations), patching) : undefined;
      return text === undefined ? [] : [reader.read(name, text, { ...rough, ...defaults }, destinations)];
    });
    if (whole.value !== undefined && functions.length === 0 && this.#problems.length === 0) this.#noFunctions();
    if (this.#problems.length > 0 || whole.value === undefined) throw this.#error();
    const store = settleStore(whole.value.store, this.#notes);
    const papers = settlePapers(whole.value, this.#notes);
    const fill = settleFill(whole.value.fill, this.#notes, Object.keys(destinations));
    if (this.#problems.length > 0) throw this.#error();
    const settled = Object.entries(destinations).flatMap(([name, d]) => (d === undefined ? [] : [[name, d] as const]));
    return {
      sheet: {
        project: whole.value.project,
        functions,
        destinations: Object.fromEntries(settled),
        ...store,
        ...fill,
        ...papers,
      },
      files: this.#files,
    };
  }

  #readDestinations(named: Record<string, unknown>): Record<string, Destination | undefined> {
    const found: Record<string, Destination | undefined> = {};
    for (const [name, file] of Object.entries(named)) {
      found[name] = undefined;
      if (typeof file !== 'string') continue;
      const path = this.#notes.insidePath(['destinations', name], file, 'file');
      if (path === undefined) continue;
      const shown = this.#shown(path);
      try {
        const text = this.#project.read(path, 'reading the destination', shown, MAX_YAML_BYTES);
        this.#files.push({ path, text });
        const { destination, problems } = readDestination(text, shown, this.#known, this.#open.ways);
        this.#problems.push(...problems);
        // The sheet's word for it counts, as everywhere in the sheet.
        found[name] = destination === undefined ? undefined : { ...destination, name };
      } catch (error) {
        if (!(error instanceof EmballageError)) throw error;
        const { expected = 'a destination file', found: what, mend } = error.facts;
        this.#notes.add(['destinations', name], expected, `\`${printable(file)}\`: ${what}`, mend);
      }
    }
    return found;
  }

  #checkName(at: readonly string[], name: string): void {
    if (!NAME_PATTERN.test(name))
      this.#notes.add(
        at,
        'a name of small letters, digits and hyphens, at most 63',
        `\`${printable(name)}\``,
        'rename the function',
        'key',
      );
  }

  #noFunctions(): void {
    this.#notes.add(
      ['functions'],
      'at least one function',
      'none',
      'describe a function; docs/guide.md begins with one',
    );
  }

  #error(): EmballageError {
    const [sheet] = this.#files;
    const problems = inOrder(this.#problems, this.#shown(sheet?.path ?? ''));
    return new EmballageError('SHEET_INVALID', {
      doing: 'reading the packing sheet',
      found: problems.length === 1 ? '1 mistake' : `${String(problems.length)} mistakes`,
      mend: 'mend what is listed; docs/reference/sheet.md has every key',
      problems,
    });
  }
}

/** Problems of the sheet first, then file by file, each from top to bottom. */
function inOrder(problems: readonly Problem[], sheet: string): Problem[] {
  const key = ({ place }: Problem): [number, string] => [place.file === sheet ? 0 : 1, place.file];
  return [...problems].sort((a, b) => {
    const [x, y] = [key(a), key(b)];
    const byFile = x[0] - y[0] || (x[1] < y[1] ? -1 : x[1] > y[1] ? 1 : 0);
    return byFile || a.place.line - b.place.line || a.place.column - b.place.column;
  });
}
