/** Finds functions in JavaScript and TypeScript in a repository. */
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { eachBreathing } from '../../../base/yield';
import { folderOf, joinPath, within } from '../../../base/paths';
import { groupBy } from '../../../base/several';
import { listed } from '../../../base/text';
import { findMember } from '../view/entry';
import { isCode } from '../assemble/module-source';
import {
  byPoints,
  commonFolder,
  ENOUGH,
  isAside,
  nameFor,
  nearest,
  ownFolder,
  reach,
  tracedWhere,
  type EntryCandidate,
  type KnownFunction,
  type LookedAt,
  type SurveyedFunction,
  type Survey,
  type Surveyor,
  type SurveyRequest,
} from '../../surveying';
import { entriesOf, mayHaveEntries, type FoundEntry } from './candidates';
import {
  isBesides,
  mainSource,
  needsFor,
  readManifests,
  versionFor,
  workspaceNames,
  type FoundManifest,
} from './manifests';
import { Modules } from './modules';

export const nodeSurveyor: Surveyor = (request) => new NodeSurvey(request);

interface Found {
  readonly file: string;
  readonly unit: string;
  readonly entries: readonly [FoundEntry, ...FoundEntry[]];
}

class NodeSurvey implements Survey {
  readonly #request: SurveyRequest;
  readonly #manifests: ReadonlyMap<string, FoundManifest>;
  readonly #modules: Modules;

  constructor(request: SurveyRequest) {
    this.#request = request;
    this.#manifests = readManifests(request);
    this.#modules = new Modules(request, workspaceNames(this.#manifests));
  }

  async find(): Promise<SurveyedFunction[]> {
    const found: Found[] = [];
    const imported = new Set<string>();
    await eachBreathing([...this.#request.tree.below('')].filter(isSource), 20, (file) => {
      for (const one of this.#modules.asks(file).files) imported.add(one);
      found.push(...this.#foundIn(file));
    });
    const units = groupBy(found, ({ unit }) => unit);
    return [...units].flatMap(([unit, all]) => {
      if (this.#isLibrary(unit)) return [];
      // What others of them import is a part of those.
      const first = all.filter(({ file }) => !imported.has(file));
      const chosen = first.length > 0 ? first : all;
      return chosen.map((one) => this.#functionOf(one, chosen.length > 1));
    });
  }

  #foundIn(file: string): Found[] {
    const { tree } = this.#request;
    if (!mayHaveEntries(tree.text(file) ?? '')) return [];
    const unit = this.#unitOf(file);
    const manifest = this.#manifests.get(unit);
    const isMain = manifest !== undefined && mainSource(this.#request, manifest) === file;
    const stated = isMain ? `the main file of ${joinPath(unit, 'package.json')}` : undefined;
    const [best, ...others] = entriesOf({ modules: this.#modules, tree }, file, unit, stated);
    return best === undefined || best.points < ENOUGH ? [] : [{ file, unit, entries: [best, ...others] }];
  }

  /** The folder of the nearest package.json; in a workspace's root, or without any, the file's own. */
  #unitOf(file: string): string {
    const folder = nearest(file, (one) => this.#manifests.has(one));
    if (folder !== undefined && this.#manifests.get(folder)?.isWorkspaceRoot !== true) return folder;
    const { files, packages } = this.#asksAll(file);
    // Packages are found from where they are stated.
    if (folder !== undefined && packages.length > 0) return folder;
    return files.reduce((unit, one) => commonFolder(unit, folderOf(one)), ownFolder(file, folder ?? ''));
  }

  #asksAll(file: string): { readonly files: readonly string[]; readonly packages: readonly string[] } {
    const files = reach(file, (one) => this.#modules.asks(one).files);
    return { files, packages: files.flatMap((one) => this.#modules.asks(one).packages) };
  }

  /** Whether other packages of the repository need this one. */
  #isLibrary(unit: string): boolean {
    const name = this.#manifests.get(unit)?.name;
    if (name === undefined) return false;
    const user = [...this.#manifests.values()].find(({ dependencies }) => dependencies.includes(name));
    if (user === undefined) return false;
    this.#request.onNote({ where: unit, text: `a library: ${joinPath(user.folder, 'package.json')} needs it` });
    return true;
  }

  #functionOf({ file, unit, entries }: Found, hasSeveral: boolean): SurveyedFunction {
    const request = this.#request;
    const manifest = this.#manifests.get(unit);
    const needs = manifest === undefined ? {} : needsFor(request, manifest, this.#manifests);
    const { files, packages } = this.#asksAll(file);
    const lacking = [...lackingOf(request, unit, needs.lacking), ...unstated(manifest, packages)];
    const [best, ...others] = entries.map((one) => candidateOf(unit, file, one));
    return {
      name: nameFor(unit, within(unit, file), hasSeveral, request.tree.root),
      source: unit,
      file,
      runtime: versionFor(request, unit, this.#manifests),
      entries: [best ?? candidateOf(unit, file, entries[0]), ...others],
      ...(needs.lock !== undefined && { needs: { why: `${needs.lock} is found by itself` } }),
      keys: tracedWhere(unit, hasSeveral),
      settings: files.flatMap((one) => this.#modules.settings(one)),
      lacking,
    };
  }

  look({ source, entry }: KnownFunction): LookedAt {
    const file = joinPath(source, entry.file);
    const { tree } = this.#request;
    const { files, packages } = this.#asksAll(file);
    const result = {
      settings: files.flatMap((one) => this.#modules.settings(one)),
      hasPackages: packages.length > 0,
    };
    if (tree.text(file) === undefined)
      return { entry: 'gone', found: 'no such file', entries: this.#instead(source, entry.member), ...result };
    const read = (path: string): string | undefined =>
      this.#modules.code(joinPath(source, path)) ?? this.#compiledFrom(joinPath(source, path));
    const verdict = findMember(read, entry.file, entry.member);
    if (verdict.kind === 'unseen' || verdict.kind === 'syntax')
      return { entry: 'unseen', found: '', entries: [], ...result };
    if (verdict.kind !== 'missing') return { entry: 'there', found: '', entries: [], ...result };
    const found = verdict.members.length === 0 ? 'nothing' : `only ${listed(verdict.members.slice(0, 8))}`;
    return { entry: 'gone', found, entries: this.#instead(source, entry.member), ...result };
  }

  /** `./surge.js` in code that is compiled means `surge.ts`. */
  #compiledFrom(path: string): string | undefined {
    const other = path.replace(/\.([cm]?)js$/, '.$1ts');
    return other === path ? undefined : this.#modules.code(other);
  }

  /** Other entries of a source folder, first those with the same member. */
  #instead(source: string, member: string): EntryCandidate[] {
    const found = [...this.#request.tree.below(source)].filter(isSource).flatMap((file) =>
      mayHaveEntries(this.#request.tree.text(file) ?? '')
        ? entriesOf({ modules: this.#modules, tree: this.#request.tree }, file, source, undefined).map((one) => ({
            ...candidateOf(source, file, one),
            points: one.points + (one.member === member ? ENOUGH : 0),
          }))
        : [],
    );
    return byPoints(found);
  }
}

function isSource(path: string): boolean {
  return isCode(path) && !isAside(path) && !isBesides(path);
}

function candidateOf(unit: string, file: string, { member, points, why, adapter }: FoundEntry): EntryCandidate {
  return { entry: `${within(unit, file)}#${member}`, points, why, ...(adapter !== undefined && { adapter }) };
}

/** What is installed is packed, even where no lock speaks of it. */
function lackingOf({ tree }: SurveyRequest, unit: string, lacking: string | undefined): string[] {
  return lacking === undefined || existsSync(join(tree.root, unit, 'node_modules')) ? [] : [lacking];
}

function unstated(manifest: FoundManifest | undefined, packages: readonly string[]): string[] {
  const stated = manifest?.dependencies ?? [];
  const missing = [...new Set(packages)].filter((name) => manifest === undefined && !stated.includes(name));
  return missing.length === 0 ? [] : [`it imports ${listed(missing.slice(0, 5))}, and no package.json states that`];
}
