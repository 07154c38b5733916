/** Finds functions in Python in a repository. */
import { eachBreathing } from '../../../base/yield';
import { baseOf, folderOf, joinPath, upwards, within } from '../../../base/paths';
import { groupBy } from '../../../base/several';
import { listed } from '../../../base/text';
import {
  byPoints,
  ENOUGH,
  isAside,
  nameFor,
  reach,
  tracedWhere,
  type EntryCandidate,
  type KnownFunction,
  type LookedAt,
  type SurveyedFunction,
  type SurveyedSetting,
  type SurveyedTree,
  type Survey,
  type Surveyor,
  type SurveyRequest,
} from '../../surveying';
import { isStandardModule } from '../view/stdlib';
import type { ModuleFacts } from '../trace/facts';
import { readModuleFacts } from '../trace/module-facts';
import { absoluteName, packageOf } from '../trace/module-tree';
import { entriesOf, type FoundEntry } from './candidates';
import { needsOf, versionFor } from './statements';

export const pythonSurveyor: Surveyor = (request) => new PythonSurvey(request);

const MAYBE =
  /^(?:async[ \t]+)?def[ \t]+\w+[ \t]*\([^)]*(?:event|evt|ev|message|msg|payload|record|request|req|input|body|job|task|command|environ|scope)\b|^(?:\w+)[ \t]*(?::[^=\n]+)?=[ \t]*[\w.]+\(/m;

interface Found {
  readonly file: string;
  readonly source: string;
  readonly entries: readonly [FoundEntry, ...FoundEntry[]];
}

class PythonSurvey implements Survey {
  readonly #request: SurveyRequest;
  readonly #tree: SurveyedTree;
  readonly #facts = new Map<string, ModuleFacts>();

  constructor(request: SurveyRequest) {
    this.#request = request;
    this.#tree = request.tree;
  }

  async find(): Promise<SurveyedFunction[]> {
    const candidates: string[] = [];
    await eachBreathing([...this.#tree.below('')].filter(isSource), 50, (file) => {
      const text = this.#tree.text(file) ?? '';
      if (MAYBE.test(text) && (entriesOf(text, file, folderOf(file))[0]?.points ?? 0) >= ENOUGH) candidates.push(file);
    });
    const found: Found[] = [];
    await eachBreathing(candidates, 5, (file) => {
      const source = this.#sourceOf(file);
      const [best, ...others] = entriesOf(this.#tree.text(file) ?? '', file, source);
      if (best !== undefined) found.push({ file, source, entries: [best, ...others] });
    });
    const functions: SurveyedFunction[] = [];
    for (const [, all] of groupBy(found, ({ source }) => source)) {
      const reached = new Set(
        all.flatMap((one) => this.#reached(one.source, one.file).files.filter((path) => path !== one.file)),
      );
      // What others of them import is a part of those.
      const first = all.filter(({ file }) => !reached.has(file));
      const chosen = first.length > 0 ? first : all;
      for (const one of chosen) functions.push(await this.#functionOf(one, chosen.length > 1));
    }
    return functions;
  }

  /** The folder from which all imports of a module's own kind are found: the deepest that has them all. */
  #sourceOf(file: string): string {
    let folder = folderOf(file);
    while (folder !== '' && this.#tree.has(joinPath(folder, '__init__.py'))) folder = folderOf(folder);
    for (;;) {
      const { others } = this.#reached(folder, file);
      const above = upwards(folder)
        .slice(1)
        .find((parent) =>
          [...others].some((top) => top !== '' && !isStandardModule(top, '3.12') && this.#moduleAt(parent, top)),
        );
      if (above === undefined) return folder;
      folder = above;
    }
  }

  #moduleAt(folder: string, top: string): boolean {
    return (
      this.#tree.has(joinPath(folder, `${top}.py`)) ||
      this.#tree.has(joinPath(folder, `${top}/__init__.py`)) ||
      (this.#tree.folders.get(joinPath(folder, top)) ?? []).some((name) => name.endsWith('.py'))
    );
  }

  #factsOf(file: string): ModuleFacts {
    const known = this.#facts.get(file) ?? readModuleFacts(this.#tree.text(file) ?? '');
    this.#facts.set(file, known);
    return known;
  }

  /** Files of its own that a module leads to, and the names of modules that are not among them. */
  #reached(source: string, file: string): { readonly files: string[]; readonly others: ReadonlySet<string> } {
    const others = new Set<string>();
    const files = reach(file, (path) =>
      this.#factsOf(path).imports.flatMap(({ level, module, names }) => {
        const whole = absoluteName(packageOf(within(source, path)), level, module) ?? '';
        const below = Array.isArray(names)
          ? names.map((name: string) => (whole === '' ? name : `${whole}.${name}`))
          : [];
        const found = [whole, ...below].flatMap((name) => this.#filesFor(source, name));
        if (found.length === 0 && level === 0) others.add(module.split('.')[0] ?? '');
        return found;
      }),
    );
    return { files, others };
  }

  #filesFor(source: string, name: string): string[] {
    if (name === '') return [];
    const parts = name.split('.');
    return parts.flatMap((_, i) => {
      const path = joinPath(source, parts.slice(0, i + 1).join('/'));
      return [`${path}/__init__.py`, ...(i === parts.length - 1 ? [`${path}.py`] : [])].filter((one) =>
        this.#tree.has(one),
      );
    });
  }

  async #functionOf({ file, source, entries }: Found, hasSeveral: boolean): Promise<SurveyedFunction> {
    const { files, others } = this.#reached(source, file);
    const syntax = files
      .flatMap((one) => this.#factsOf(one).syntax)
      .sort((a, b) => Number(b.since.split('.')[1]) - Number(a.since.split('.')[1]))[0];
    const { value, why, fits } = await versionFor(this.#request, source, syntax);
    const version = value.split(' ')[1] ?? '';
    const foreign = [...others].filter((name) => name !== '' && !isStandardModule(name, version)).sort();
    const needs = needsOf(this.#request, source);
    const [best, ...rest] = entries.map((one) => candidateOf(source, file, one));
    return {
      name: nameFor(source, within(source, file), hasSeveral, this.#tree.root),
      source,
      file,
      runtime: { value, why, fits },
      entries: [best ?? candidateOf(source, file, entries[0]), ...rest],
      ...(needs !== undefined && { needs }),
      keys: tracedWhere(source, hasSeveral),
      settings: this.#settingsOf(files),
      lacking: [
        ...(entries[0].isShort
          ? [`\`${entries[0].member}\` takes one argument, and is given two: the event and a context`]
          : []),
        ...this.#twoRoots(source, files, others),
        ...(needs === undefined && foreign.length > 0
          ? [
              `it imports ${listed(foreign.slice(0, 5))}, and nothing states where that comes from: list it under \`needs\``,
            ]
          : []),
      ],
    };
  }

  /** Modules that are found only from the folder of the file that asks for them, which is not the source. */
  #twoRoots(source: string, files: readonly string[], others: ReadonlySet<string>): string[] {
    return [...others].flatMap((name) => {
      const folder = files.map(folderOf).find((one) => one !== source && this.#moduleAt(one, name));
      return folder === undefined
        ? []
        : [`it imports ${name} as if it began in ${folder}, and others as if in ${source || 'the top folder'}`];
    });
  }

  #settingsOf(files: readonly string[]): SurveyedSetting[] {
    return files.flatMap((file) =>
      this.#factsOf(file).settings.map(({ name, line, hasDefault }) => ({ name, file, line, hasDefault })),
    );
  }

  look({ source, entry }: KnownFunction): LookedAt {
    const file = joinPath(source, entry.file);
    const { files, others } = this.#reached(source, file);
    const hasPackages = [...others].some((name) => name !== '' && !isStandardModule(name, '3.12'));
    const result = { settings: this.#settingsOf(files), hasPackages };
    if (this.#tree.text(file) === undefined)
      return { entry: 'gone', found: 'no such file', entries: this.#instead(source, entry.member), ...result };
    const { members, imports } = this.#factsOf(file);
    if (Object.hasOwn(members, entry.member)) return { entry: 'there', found: '', entries: [], ...result };
    if (imports.some(({ names }) => names === '*') || Object.hasOwn(members, '__getattr__'))
      return { entry: 'unseen', found: '', entries: [], ...result };
    const names = Object.keys(members).filter((name) => members[name]?.kind === 'function');
    const found = names.length === 0 ? 'no function at all' : `only ${listed(names.slice(0, 8))}`;
    return { entry: 'gone', found, entries: this.#instead(source, entry.member), ...result };
  }

  #instead(source: string, member: string): EntryCandidate[] {
    const found = [...this.#tree.below(source)].filter(isSource).flatMap((file) =>
      entriesOf(this.#tree.text(file) ?? '', file, source).map((one) => ({
        ...candidateOf(source, file, one),
        points: one.points + (one.member === member ? ENOUGH : 0),
      })),
    );
    return byPoints(found);
  }
}

function isSource(path: string): boolean {
  return (
    path.endsWith('.py') &&
    !isAside(path) &&
    !/^(?:test_.*|.*_test|conftest|setup|noxfile|tasks)\.py$/.test(baseOf(path))
  );
}

function candidateOf(source: string, file: string, { member, points, why, adapter }: FoundEntry): EntryCandidate {
  return { entry: `${within(source, file)}#${member}`, points, why, ...(adapter !== undefined && { adapter }) };
}
