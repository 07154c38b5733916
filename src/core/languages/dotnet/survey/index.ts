/** Finds .NET functions in a repository: publish folders, and projects with methods that take events. */
import { readFileSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { eachBreathing } from '../../../base/yield';
import { baseOf, folderOf, joinPath } from '../../../base/paths';
import { firstFew, listed } from '../../../base/text';
import type { Assembly, MethodInfo } from '../../../formats/assembly';
import { isPlatformName } from '../rules/framework';
import { readAssemblies } from '../published/assemblies';
import { frameworksOf, PROJECT_FILE, readProjectFile } from '../packages/project-file';
import { parseFramework } from '../packages/frameworks';
import { frameworkWord, readRuntimeConfig, CORE } from '../published/runtime-config';
import {
  byPoints,
  ENOUGH,
  isAside,
  nameFor,
  rank,
  stemOf,
  type EntryCandidate,
  type KnownFunction,
  type LookedAt,
  type SurveyedFunction,
  type SurveyedTree,
  type Survey,
  type Surveyor,
  type SurveyRequest,
} from '../../surveying';
import { settingsIn, sourceEntries } from './candidates';

export const dotnetSurveyor: Surveyor = (request) => new DotnetSurvey(request);

const CONFIG = /^(.+)\.runtimeconfig\.json$/;
const MOST_ASSEMBLY_BYTES = 64 * 1024 * 1024;
/** Where builds put what they make. */
const BUILT = /(?:^|\/)(?:bin|obj)\//;

class DotnetSurvey implements Survey {
  readonly #tree: SurveyedTree;

  constructor({ tree }: SurveyRequest) {
    this.#tree = tree;
  }

  async find(): Promise<SurveyedFunction[]> {
    const found: SurveyedFunction[] = [];
    const paths = [...this.#tree.below('')];
    await eachBreathing(
      paths.filter((path) => PROJECT_FILE.test(path) && !isAside(path)),
      5,
      (path) => {
        const one = this.#project(path);
        if (one !== undefined) found.push(one);
      },
    );
    await eachBreathing(
      paths.filter((path) => CONFIG.test(baseOf(path)) && !BUILT.test(path)),
      5,
      (path) => {
        const one = this.#published(path);
        if (one !== undefined) found.push(one);
      },
    );
    return found;
  }

  #project(path: string): SurveyedFunction | undefined {
    const source = folderOf(path);
    const texts = this.#sources(source);
    const stated = this.#statedBy(path);
    const candidates = byPoints(
      [...texts].flatMap(([file, text]) =>
        sourceEntries(text).map((one) => ({ ...one, file, entry: `${stated.assembly}.dll#${one.member}` })),
      ),
    );
    const [best, ...others] = candidates;
    if (best === undefined || best.points < ENOUGH) return undefined;
    const { major, text } = stated;
    return {
      name: nameFor(source, '', false, this.#tree.root),
      source,
      file: best.file,
      runtime: {
        value: `dotnet ${String(major)}`,
        why: text === '' ? 'no framework is stated that a server runs' : `${path} says ${text}`,
        fits: (version) => Number(version) >= major,
      },
      entries: [plain(best), ...others.map(plain)],
      needs: { why: `${path} is found by itself` },
      keys: [],
      settings: settingsIn(texts),
      lacking: [],
    };
  }

  /** What a publish folder tells. */
  #published(path: string): SurveyedFunction | undefined {
    const source = folderOf(path);
    const stem = CONFIG.exec(baseOf(path))?.[1] ?? '';
    const file = `${stem}.dll`;
    const assembly = this.#assembly(joinPath(source, file));
    const config = readRuntimeConfig(this.#tree.text(path) ?? '');
    const wanted =
      typeof config === 'string' ? undefined : config.frameworks.find(({ name }) => name === CORE)?.version;
    const entries = assembly === undefined ? [] : assemblyEntries(assembly, file);
    const [best, ...others] = entries;
    if (best === undefined || best.points < ENOUGH || wanted === undefined) return undefined;
    const major = Number(wanted.split('.')[0]);
    return {
      name: nameFor(source, '', false, this.#tree.root),
      source,
      file: joinPath(source, file),
      runtime: {
        value: `dotnet ${String(major)}`,
        why: `${path} asks for ${wanted}`,
        fits: (version) => Number(version) >= major,
      },
      entries: [best, ...others],
      keys: [],
      settings: [],
      lacking: this.#lacking(source, assembly),
    };
  }

  /** Assemblies that it refers to and that do not lie beside it. */
  #lacking(source: string, assembly: Assembly | undefined): string[] {
    const gone = (assembly?.references ?? [])
      .map(({ name }) => name)
      .filter((name) => !isPlatformName(name) && !this.#tree.has(joinPath(source, `${name}.dll`)));
    const shown = listed(firstFew(gone, 4));
    return gone.length === 0
      ? []
      : [`it refers to ${shown}, which is not there: publish again, or list its package under \`needs\``];
  }

  look({ source, entry }: KnownFunction): LookedAt {
    const path = joinPath(source, entry.file);
    const result = { settings: settingsIn(this.#sources(source)), hasPackages: true };
    const assembly = this.#assembly(path);
    // A project makes its assembly first.
    if (assembly === undefined && this.#projectIn(source))
      return { entry: 'unseen', found: '', entries: [], ...result };
    if (assembly === undefined)
      return { entry: 'gone', found: `no assembly \`${entry.file}\``, entries: [], ...result };
    const [type, method] = [entry.member.replace(/\.[^.]*$/, ''), entry.member.replace(/^.*\./, '')];
    const found = assembly.types().find(({ name }) => name === type);
    const entries = assemblyEntries(assembly, entry.file);
    if (found?.methods().some(({ name }) => name === method) === true)
      return { entry: 'there', found: '', entries: [], ...result };
    if (found !== undefined && found.base !== 'System.Object')
      return { entry: 'unseen', found: '', entries, ...result };
    return {
      entry: 'gone',
      found: found === undefined ? `no type \`${type}\`` : `no method \`${method}\` of it`,
      entries,
      ...result,
    };
  }

  #projectIn(source: string): boolean {
    return [...this.#tree.below(source)].some((path) => PROJECT_FILE.test(path));
  }

  #sources(source: string): ReadonlyMap<string, string> {
    const files = [...this.#tree.below(source)].filter(
      (path) => path.endsWith('.cs') && !BUILT.test(path) && !isAside(path),
    );
    return new Map(files.map((path) => [path, this.#tree.text(path) ?? '']));
  }

  #statedBy(path: string): { readonly assembly: string; readonly major: number; readonly text: string } {
    const words = frameworksOf(this.#tree.text(path) ?? '');
    const known = words.flatMap((text) => {
      const framework = parseFramework(text);
      return framework?.family === 'core' ? [{ text, major: framework.major }] : [];
    });
    const newest = known.sort((a, b) => b.major - a.major)[0] ?? { text: '', major: 8 };
    const reading = {
      read: (file: string) => this.#tree.text(file) ?? '<Project/>',
      isThere: (file: string) => this.#tree.has(file),
      framework: frameworkWord(String(newest.major)),
    };
    let assembly = stemOf(path);
    try {
      assembly = readProjectFile(path, reading).assembly;
    } catch {
      // What is wrong with it is told when it is locked.
    }
    return { assembly, ...newest };
  }

  #assembly(path: string): Assembly | undefined {
    const file = join(this.#tree.root, path);
    const found = readAssemblies([path], () => {
      try {
        return statSync(file).size > MOST_ASSEMBLY_BYTES ? undefined : readFileSync(file);
      } catch {
        return undefined;
      }
    });
    return found.all.get(path);
  }
}

function plain({ entry, why, points }: EntryCandidate): EntryCandidate {
  return { entry, why, points };
}

/** Public methods of public types that take an event; their parameters have no names here but for their types. */
function assemblyEntries(assembly: Assembly, file: string): EntryCandidate[] {
  return byPoints(
    assembly
      .types()
      .filter(({ isPublic, isAbstract, name }) => isPublic && !name.includes('<') && (!isAbstract || name !== ''))
      .flatMap((type) =>
        type
          .methods()
          .filter((method) => method.isPublic && !/^\.|^[gs]et_/.test(method.name))
          .flatMap((method) => {
            const names = namesOf(method);
            const { points, why } = rank({ member: method.name, parameters: names, stem: stemOf(file), folder: '' });
            return names.length === 0 || points === 0
              ? []
              : [{ entry: `${file}#${type.name}.${method.name}`, why, points }];
          }),
      ),
  );
}

/** A type that is called an event says as much as a parameter that is. */
function namesOf({ parameters }: MethodInfo): string[] {
  const [first, second, ...rest] = parameters;
  if (first === undefined || rest.length > 0) return [];
  const isEvent = /Event(?:<.*>)?$|Dictionary<string, object>$|^System\.Text\.Json\.|^System\.IO\.Stream$/.test(first);
  return [isEvent ? 'event' : 'other', ...(second === undefined ? [] : ['context'])];
}
