/** Finds functions for the Java virtual machine in a repository. */
import { eachBreathing } from '../../../base/yield';
import { baseOf, folderOf } from '../../../base/paths';
import { groupBy } from '../../../base/several';
import { listed } from '../../../base/text';
import {
  allOf,
  byPoints,
  ENOUGH,
  isAside,
  lineAt,
  nameFor,
  stemOf,
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
import { classFileEntries, plainCode, sourceEntries } from './candidates';
import { needsOf, Poms, versionFor } from './statements';

export const jvmSurveyor: Surveyor = (request) => new JvmSurvey(request);

/** Roots of packages in a project laid out as Maven's; it is the folder above that is the source. */
const LAID_OUT = /(?:^|\/)src\/main\/java$/;
/** Syntax that came after Java 8. */
const NEW_SYNTAX: readonly (readonly [since: number, what: string, pattern: RegExp])[] = [
  [21, 'patterns of records', /\bcase\s+\w+\s*\([\w\s,]+\)\s*->/],
  [17, 'sealed classes', /\bsealed\s+(?:interface|class|abstract)\b/],
  [16, 'records', /\brecord\s+\w+\s*(?:<[^>]*>)?\s*\(/],
  [15, 'text blocks', /"_+\n/],
  [14, 'switch expressions', /\bcase\s+[^:;{}]+->/],
  [10, '`var`', /\bvar\s+\w+\s*=/],
];
/** Packages of the platform. */
const PLATFORM = /^(?:java|javax|jdk|sun|com\.sun|org\.w3c\.dom|org\.xml\.sax|org\.ietf\.jgss)\./;

interface Found {
  readonly file: string;
  readonly source: string;
  readonly entries: readonly [EntryCandidate, ...EntryCandidate[]];
}

class JvmSurvey implements Survey {
  readonly #request: SurveyRequest;
  readonly #tree: SurveyedTree;
  readonly #poms: Poms;

  constructor(request: SurveyRequest) {
    this.#request = request;
    this.#tree = request.tree;
    this.#poms = new Poms(request);
  }

  async find(): Promise<SurveyedFunction[]> {
    const found: Found[] = [];
    await eachBreathing([...this.#tree.below('')].filter(isSource), 20, (file) => {
      const text = this.#tree.text(file) ?? '';
      const facts = sourceEntries(text, stemOf(file));
      const [best, ...others] = facts?.entries ?? [];
      if (best === undefined || best.points < ENOUGH) return;
      const source = sourceOf(file, text);
      found.push({ file, source, entries: [best, ...others] });
    });
    const functions: SurveyedFunction[] = [];
    for (const [source, all] of groupBy(found, (one) => one.source)) {
      const texts = new Map(this.#sources(source).map((path) => [path, this.#tree.text(path) ?? '']));
      const isUsed = ({ file }: Found): boolean =>
        [...texts].some(([path, text]) => path !== file && new RegExp(`\\b${stemOf(file)}\\b`).test(plainCode(text)));
      const first = all.filter((one) => !isUsed(one));
      const chosen = first.length > 0 ? first : all;
      for (const one of chosen) functions.push(await this.#functionOf(one, texts, chosen.length > 1));
    }
    return [...functions, ...(await this.#compiled())];
  }

  async #functionOf(
    { file, source, entries }: Found,
    texts: ReadonlyMap<string, string>,
    hasSeveral: boolean,
  ): Promise<SurveyedFunction> {
    const code = [...texts.values()].map(plainCode);
    const syntax = NEW_SYNTAX.find(([, , pattern]) => code.some((text) => pattern.test(text)));
    const needed = syntax === undefined ? undefined : { since: syntax[0], what: syntax[1] };
    const { needs, lacking } = needsOf(this.#request, this.#poms, source);
    const foreign = needs === undefined ? foreignPackages(code) : [];
    const unstated =
      foreign.length === 0
        ? []
        : [
            `it imports ${listed(foreign.slice(0, 4))}, and nothing states where that comes from: list it under \`needs\``,
          ];
    return {
      name: hasSeveral ? stemOf(file) : nameFor(source, '', false, this.#tree.root),
      source,
      file,
      entries,
      runtime: await versionFor(this.#request, this.#poms, source, needed),
      ...(needs !== undefined && { needs }),
      keys: [],
      settings: settingsIn(texts),
      lacking: [...lacking, ...unstated],
    };
  }

  #sources(source: string): string[] {
    return [...this.#tree.below(source)].filter(isSource);
  }

  /** Folders of classes without their source. */
  async #compiled(): Promise<SurveyedFunction[]> {
    const found: (Found & { readonly java: number })[] = [];
    const classes = [...this.#tree.below('')].filter((path) => /^[^$]+\.class$/.test(baseOf(path)) && !isAside(path));
    await eachBreathing(classes, 50, (file) => {
      const facts = classFileEntries(this.#tree, file);
      const [best, ...others] = facts?.entries ?? [];
      const path = `${facts?.name.replaceAll('.', '/') ?? ''}.class`;
      if (facts === undefined || best === undefined || best.points < ENOUGH || !file.endsWith(path)) return;
      const source = file.slice(0, -path.length).replace(/\/$/, '');
      if (this.#sources(source).length === 0)
        found.push({ file, source, entries: [best, ...others], java: facts.java });
    });
    const groups = groupBy(found, ({ source }) => source);
    return found.map(({ file, source, entries, java }) => ({
      name: (groups.get(source)?.length ?? 0) > 1 ? stemOf(file) : nameFor(source, '', false, this.#tree.root),
      source,
      file,
      entries,
      keys: [],
      settings: [],
      lacking: [],
      runtime: {
        value: `java ${String(java)}`,
        why: 'its classes are compiled for it',
        fits: (version) => Number(version) >= java,
      },
    }));
  }

  look({ source, entry }: KnownFunction): LookedAt {
    const texts = new Map(this.#sources(source).map((path) => [path, this.#tree.text(path) ?? '']));
    const result = {
      settings: settingsIn(texts),
      hasPackages: needsOf(this.#request, this.#poms, source).needs !== undefined,
    };
    const stem = entry.file.slice(entry.file.lastIndexOf('.') + 1);
    const path = [...texts.keys()].find((one) => `/${one}`.endsWith(`/${entry.file.replaceAll('.', '/')}.java`));
    // Classes in JARs, compiled ones and those of other languages are not looked into.
    if (texts.size === 0) return { entry: 'unseen', found: '', entries: [], ...result };
    const entries = byPoints(
      [...texts].flatMap(([file, text]) =>
        (sourceEntries(text, stemOf(file))?.entries ?? []).map((one) => ({
          ...one,
          points: one.points + (one.entry.endsWith(`#${entry.member}`) ? ENOUGH : 0),
        })),
      ),
    );
    if (path === undefined) return { entry: 'gone', found: `no class \`${stem}\` of that package`, entries, ...result };
    const isThere = new RegExp(`\\b${entry.member}\\s*\\(`).test(plainCode(texts.get(path) ?? ''));
    const inherits = /\bextends\b|\bimplements\b/.test(plainCode(texts.get(path) ?? ''));
    if (isThere) return { entry: 'there', found: '', entries: [], ...result };
    return { entry: inherits ? 'unseen' : 'gone', found: `no method \`${entry.member}\` of it`, entries, ...result };
  }
}

function isSource(path: string): boolean {
  return path.endsWith('.java') && !isAside(path) && !/^(?:package|module)-info\.java$/.test(baseOf(path));
}

/** The folder that packages begin in, or the project that it is laid out in. */
function sourceOf(file: string, text: string): string {
  const [, pack = ''] = /^\s*package\s+([\w.]+)\s*;/m.exec(plainCode(text)) ?? [];
  const folder = folderOf(file);
  const inside = pack.replaceAll('.', '/');
  const root =
    `/${folder}`.endsWith(`/${inside}`) && inside !== ''
      ? folder.slice(0, Math.max(0, folder.length - inside.length - 1))
      : folder;
  return LAID_OUT.test(root) ? root.replace(/\/?src\/main\/java$/, '') : root;
}

/** Packages that are imported and are neither the platform's nor its own. */
function foreignPackages(code: readonly string[]): string[] {
  const own = new Set(code.flatMap((text) => allOf(text, /^\s*package\s+([\w.]+)\s*;/gm)));
  const imported = code.flatMap((text) => allOf(text, /^\s*import\s+(?:static\s+)?([\w.]+)\.[\w*]+\s*;/gm));
  const isOwn = (name: string): boolean => own.has(name) || own.has(name.replace(/\.[A-Z]\w*$/, ''));
  return [...new Set(imported)].filter((name) => !PLATFORM.test(`${name}.`) && !isOwn(name)).sort();
}

const READ = /\bSystem\s*\.\s*getenv\s*\(\s*(?:\)\s*\.\s*get(?:OrDefault)?\s*\(\s*)?"([A-Za-z_]\w*)"/g;

/** Whether there is a default stands elsewhere, and is not looked for. */
function settingsIn(texts: ReadonlyMap<string, string>): SurveyedSetting[] {
  return [...texts].flatMap(([file, text]) =>
    [...text.matchAll(READ)].map(({ 1: name = '', index }) => ({
      name,
      file,
      line: lineAt(text, index),
      hasDefault: false,
    })),
  );
}
