/** Reads a packing sheet and the destinations it names; collects every mistake in all of them. */
import { EmballageError, type Problem } from '../base/errors';
import { baseOf, folderOf, joinPath, settlePath } from '../base/paths';
import { nearestWord, printable } from '../base/text';
import { parseSize, parseTime } from '../base/units';
import type { ProjectFolder } from '../disk/project-folder';
import { readDestination, settleLimits } from './destination';
import { isMapping, unknownWord, validate } from './issues';
import type {
  Acceptance,
  Arch,
  Destination,
  Entry,
  FunctionSpec,
  Needs,
  Runtime,
  Setting,
  Sheet,
  Source,
} from './model';
import {
  functionSchema,
  NAME_PATTERN,
  SETTING_PATTERN,
  sheetSchema,
  type DefaultsText,
  type FunctionText,
} from './schema';
import { MAX_YAML_BYTES, readYaml, type YamlFile } from './yaml';

/** What the file of an entry is called, by language. */
const ENTRY_FILES: Readonly<Record<string, { readonly pattern: RegExp; readonly endings: string }>> = {
  node: { pattern: /\.(mjs|cjs|js)$/, endings: '`.mjs`, `.cjs` or `.js`' },
  python: { pattern: /^(?:[A-Za-z_]\w*\/)*[A-Za-z_]\w*\.py$/, endings: '`.py` and can be imported' },
};

/** Names of files that state requirements. */
const NEED_FILE_PATTERN = /\.txt$|\.in$|^pyproject\.toml$|^pylock(?:\.[^.]+)?\.toml$/;

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
export function loadSheet(project: ProjectFolder, path: string, shown: (path: string) => string): LoadedSheet {
  const text = project.read(path, 'reading the packing sheet', shown(path), MAX_YAML_BYTES);
  return new SheetReader(project, shown, { path, text }).read();
}

class SheetReader {
  readonly #project: ProjectFolder;
  readonly #shown: (path: string) => string;
  readonly #yaml: YamlFile;
  readonly #files: ReadFile[];
  readonly #problems: Problem[];

  constructor(project: ProjectFolder, shown: (path: string) => string, sheet: ReadFile) {
    this.#project = project;
    this.#shown = shown;
    this.#files = [sheet];
    this.#yaml = readYaml(sheet.text, shown(sheet.path));
    this.#problems = [...this.#yaml.problems];
  }

  read(): LoadedSheet {
    const raw = this.#yaml.value;
    if (raw === undefined) throw this.#error();
    // The parts are looked at one by one, so that a mistake in one does not hide those in another.
    const whole = validate(sheetSchema, raw, this.#yaml);
    this.#problems.push(...whole.problems);
    const root = isMapping(raw) ? raw : {};
    const destinations = this.#readDestinations(isMapping(root.destinations) ? root.destinations : {});
    const defaults = whole.value?.defaults ?? {};
    const functions = Object.entries(isMapping(root.functions) ? root.functions : {}).flatMap(([name, value]) => {
      this.#checkName(['functions', name], name);
      const rough = isMapping(root.defaults) ? root.defaults : {};
      const text = isMapping(value) ? patchFunction(value, Object.keys(destinations)) : undefined;
      return text === undefined
        ? []
        : [this.#readFunction(name, text, { ...rough, ...defaults }, Object.keys(destinations))];
    });
    if (whole.value !== undefined && functions.length === 0 && this.#problems.length === 0) this.#noFunctions();
    if (this.#problems.length > 0 || whole.value === undefined) throw this.#error();
    const settled = Object.entries(destinations).flatMap(([name, d]) => (d === undefined ? [] : [[name, d] as const]));
    return {
      sheet: { project: whole.value.project, functions, destinations: Object.fromEntries(settled) },
      files: this.#files,
    };
  }

  #readDestinations(named: Record<string, unknown>): Record<string, Destination | undefined> {
    const found: Record<string, Destination | undefined> = {};
    for (const [name, file] of Object.entries(named)) {
      found[name] = undefined;
      if (typeof file !== 'string') continue;
      const path = this.#insidePath(['destinations', name], file, 'file');
      if (path === undefined) continue;
      const shown = this.#shown(path);
      try {
        const text = this.#project.read(path, 'reading the destination', shown, MAX_YAML_BYTES);
        this.#files.push({ path, text });
        const { destination, problems } = readDestination(text, shown);
        this.#problems.push(...problems);
        found[name] = destination;
      } catch (error) {
        if (!(error instanceof EmballageError)) throw error;
        const { expected = 'a destination file', found: what, mend } = error.facts;
        this.#add(['destinations', name], expected, `\`${printable(file)}\`: ${what}`, mend);
      }
    }
    return found;
  }

  #readFunction(
    name: string,
    text: FunctionText,
    defaults: DefaultsText,
    destinations: readonly string[],
  ): FunctionSpec {
    const at = ['functions', name];
    const source = this.#insidePath([...at, 'source'], text.source, 'folder') ?? '';
    const memoryBytes = parseSize(text.memory ?? defaults.memory ?? '');
    const timeoutMs = parseTime(text.timeout ?? defaults.timeout ?? '');
    return {
      name,
      source,
      runtime: settleRuntime(text.runtime),
      entry: this.#readEntry([...at, 'entry'], text.entry, settleRuntime(text.runtime)),
      form: text.artifact,
      archs: this.#readArchs(at, text, defaults),
      destination: this.#readDestinationName(at, text, defaults, destinations),
      leaveOut: text['leave-out'] ?? [],
      keep: text.keep ?? [],
      links: text.links ?? 'follow',
      emptyFolders: text['empty-folders'] ?? false,
      ...this.#readNeeds(at, text, defaults),
      settings: this.#readSettings([...at, 'settings'], text.settings ?? {}),
      limits: { ...settleLimits(defaults.limits), ...settleLimits(text.limits) },
      ...(memoryBytes !== undefined && { memoryBytes }),
      ...(timeoutMs !== undefined && { timeoutMs }),
      events: this.#readEvents([...at, 'events'], text.events),
      accept: (text.accept ?? []).map(settleAcceptance),
      place: this.#yaml.placeOf(at, 'key'),
    };
  }

  #readEntry(at: readonly string[], text: string, runtime: Runtime): Entry {
    const hash = text.lastIndexOf('#');
    const [file, member] = [text.slice(0, hash), text.slice(hash + 1)];
    const { pattern, endings } = ENTRY_FILES[runtime.language] ?? { pattern: /./, endings: 'anything' };
    if (settlePath(file) !== file || file.includes('\\'))
      this.#add(
        at,
        'a file inside the source folder, written plainly',
        `\`${printable(file)}\``,
        'write the path from the source folder, with `/`',
      );
    else if (!pattern.test(file))
      this.#add(at, `a file that ends in ${endings}`, `\`${printable(file)}\``, 'name the file that the host loads');
    return { text, file, member };
  }

  #readNeeds(
    at: readonly string[],
    text: FunctionText,
    defaults: DefaultsText,
  ): Pick<FunctionSpec, 'needs' | 'sources' | 'trim' | 'bytecode' | 'adapter'> {
    const isPython = text.runtime.startsWith('python');
    for (const key of ['needs', 'bytecode', 'adapter'] as const)
      if (!isPython && text[key] !== undefined)
        this.#add([...at, key], 'it only for Python functions', `it for \`${text.runtime}\``, 'take it out', 'key');
    const path = text.sources === undefined ? ['defaults', 'sources'] : [...at, 'sources'];
    const sources = (text.sources ?? defaults.sources ?? []).flatMap(
      (one, i) => this.#readSource([...path, String(i)], one) ?? [],
    );
    const needs = this.#readNeedsKey([...at, 'needs'], text.needs);
    return {
      ...(needs !== undefined && { needs }),
      sources,
      trim: text.trim ?? defaults.trim ?? 'safe',
      bytecode: text.bytecode ?? false,
      ...(text.adapter !== undefined && { adapter: text.adapter }),
    };
  }

  #readNeedsKey(at: readonly string[], needs: FunctionText['needs']): Needs | undefined {
    if (Array.isArray(needs))
      return {
        kind: 'list',
        items: needs.map((text, i) => ({ text, place: this.#yaml.placeOf([...at, String(i)]) })),
      };
    if (needs === undefined) return undefined;
    const [, file = needs, groups] = /^(.*\.toml)\[([^\]]*)\]$/.exec(needs) ?? [];
    const path = this.#insidePath(at, file, 'file');
    if (path !== undefined && !NEED_FILE_PATTERN.test(baseOf(path)))
      this.#add(
        at,
        'a requirements file (`*.txt`), `pyproject.toml` or `pylock.toml`',
        `\`${printable(file)}\``,
        'name the file that states the requirements, or write them as a list',
      );
    return path === undefined
      ? undefined
      : {
          kind: 'file',
          path,
          groups: (groups ?? '')
            .split(',')
            .map((g) => g.trim())
            .filter((g) => g !== ''),
        };
  }

  #readSource(at: readonly string[], source: NonNullable<FunctionText['sources']>[number]): Source | undefined {
    const { index, folder, serves } = source;
    if ((index === undefined) === (folder === undefined)) {
      this.#add(at, 'one of `index` and `folder`', index === undefined ? 'neither' : 'both', 'keep one of the two');
      return undefined;
    }
    const path = folder === undefined ? index : this.#insidePath([...at, 'folder'], folder, 'folder');
    if (path === undefined) return undefined;
    const kind = folder === undefined ? 'index' : 'folder';
    return { kind, at: path, ...(serves !== undefined && { serves }) };
  }

  #readArchs(at: readonly string[], text: FunctionText, defaults: DefaultsText): Arch[] {
    const archs = text.arch ?? defaults.arch;
    if (archs === undefined) {
      this.#add([...at, 'arch'], '`arch` here or in `defaults`', 'neither', 'add `arch: [arm64]`, say');
      return [];
    }
    return [...new Set(archs)].sort();
  }

  #readDestinationName(
    at: readonly string[],
    text: FunctionText,
    defaults: DefaultsText,
    known: readonly string[],
  ): string {
    const name = text.destination ?? defaults.destination;
    if (name === undefined) {
      this.#add([...at, 'destination'], '`destination` here or in `defaults`', 'neither', 'add `destination: NAME`');
      return '';
    }
    const path = text.destination === undefined ? ['defaults', 'destination'] : [...at, 'destination'];
    const place = this.#yaml.placeOf(path);
    const told = this.#problems.some((p) => p.place.line === place.line && p.place.column === place.column);
    if (!known.includes(name) && !told) this.#problems.push(unknownWord(this.#yaml, path, name, known, 'value'));
    return name;
  }

  #readSettings(at: readonly string[], settings: NonNullable<FunctionText['settings']>): Setting[] {
    return Object.entries(settings).map(([name, { sample, secret }]) => {
      if (!SETTING_PATTERN.test(name))
        this.#add(
          [...at, name],
          'letters, digits and `_`, not beginning with a digit',
          `\`${printable(name)}\``,
          'rename the setting',
          'key',
        );
      if (sample !== undefined && secret === true)
        this.#add(
          [...at, name],
          'a sample or a secret, not both',
          'both',
          'take the sample out: a secret has no value in the sheet',
          'key',
        );
      return { name, secret: secret ?? false, ...(sample !== undefined && { sample }) };
    });
  }

  #readEvents(at: readonly string[], events: FunctionText['events']): string[] {
    const patterns = events === undefined ? [] : typeof events === 'string' ? [events] : events;
    return patterns.map((pattern, i) => {
      const path = Array.isArray(events) ? [...at, String(i)] : at;
      if (settlePath(pattern) === undefined || pattern.startsWith('/'))
        this.#add(
          path,
          'a path inside the project',
          `\`${printable(pattern)}\``,
          'put the events into the project folder',
        );
      else if (!/[*?[{]/.test(pattern)) this.#insidePath(path, pattern, 'file');
      return pattern;
    });
  }

  /** A path of the sheet, settled; a problem where it leaves the project or nothing of that kind is there. */
  #insidePath(at: readonly string[], written: string, kind: 'file' | 'folder'): string | undefined {
    const path = written.startsWith('/') || written.includes('\\') ? undefined : settlePath(written);
    if (path === undefined) {
      this.#add(
        at,
        `a ${kind} inside the project folder`,
        `\`${printable(written)}\`, which leaves it`,
        'write a path relative to the sheet',
      );
      return undefined;
    }
    const found = this.#project.kind(path);
    if (found === 'missing') {
      const near = nearestWord(baseOf(path), this.#project.names(folderOf(path)));
      const mend =
        near === undefined
          ? `make the ${kind} or correct the path`
          : `did you mean \`${joinPath(folderOf(path), near)}\`?`;
      this.#add(at, `a ${kind}`, `\`${printable(written)}\`, where nothing is`, mend);
    } else if (found !== kind) this.#add(at, `a ${kind}`, `\`${printable(written)}\`, which is none`, `name a ${kind}`);
    else if (!this.#project.isInside(path))
      this.#add(
        at,
        `a ${kind} inside the project folder`,
        `\`${printable(written)}\`, a link that leaves it`,
        'copy what it points to into the project',
      );
    else return path;
    return undefined;
  }

  #checkName(at: readonly string[], name: string): void {
    if (!NAME_PATTERN.test(name))
      this.#add(
        at,
        'a name of small letters, digits and hyphens, at most 63',
        `\`${printable(name)}\``,
        'rename the function',
        'key',
      );
  }

  #noFunctions(): void {
    this.#add(['functions'], 'at least one function', 'none', 'describe a function; docs/guide.md begins with one');
  }

  #add(at: readonly string[], expected: string, found: string, mend: string, part: 'key' | 'value' = 'value'): void {
    this.#problems.push({ place: this.#yaml.placeOf(at, part), expected, found, mend });
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

/** `node 20` as language and version. */
export function settleRuntime(text: string): Runtime {
  const [language = '', version = ''] = text.split(' ');
  return { text, language, version };
}

/**
 * What can be read of a function's text: where a key is wrong, which has been told, something harmless stands in for it,
 * so that the others are looked at all the same.
 */
function patchFunction(value: Record<string, unknown>, destinations: readonly string[]): FunctionText | undefined {
  const harmless: Record<string, unknown> = {
    source: '',
    runtime: 'node 20',
    entry: 'x.mjs#x',
    artifact: 'zip',
    arch: ['arm64'],
    destination: destinations[0],
  };
  const patched: Record<string, unknown> = {};
  for (const [key, schema] of Object.entries(functionSchema.shape)) {
    const isGiven = key in value;
    const isRight = isGiven && schema.safeParse(value[key]).success;
    const isOptional = schema.safeParse(undefined).success;
    if (isRight) patched[key] = value[key];
    else if ((isGiven || !isOptional) && harmless[key] !== undefined) patched[key] = harmless[key];
  }
  const result = functionSchema.safeParse(patched);
  return result.success ? result.data : undefined;
}

function settleAcceptance(text: NonNullable<FunctionText['accept']>[number]): Acceptance {
  const { where, ...rest } = text;
  return where === undefined ? rest : { ...rest, where };
}
