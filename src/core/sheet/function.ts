/** Reads one function of a packing sheet: defaults filled in, units settled, every mistake noted. */
import { baseOf, settlePath } from '../base/paths';
import { listed, printable } from '../base/text';
import { parseSize, parseTime } from '../base/units';
import { settleLimits } from './destination';
import { betterEntry, unknownWord } from './issues';
import type { Acceptance, Arch, Entry, FunctionSpec, Needs, Runtime, Setting, Source } from './model';
import type { SheetNotes } from './notes';
import { readJvmKeys } from '../languages/jvm/keys';
import { IMAGE_KEYS, readImageKeys } from './image-keys';
import { ADAPTERS_OF, ENTRY_FILES, FORMS_OF, KEYS_OF, LANGUAGES, NEED_FILES, USUAL_FORMS } from './languages';
import { isNative, readNativeKeys } from '../languages/compiled/keys';
import { functionSchema, SETTING_PATTERN, type DefaultsText, type FunctionText } from './schema';

export class FunctionReader {
  readonly #notes: SheetNotes;

  constructor(notes: SheetNotes) {
    this.#notes = notes;
  }

  read(name: string, text: FunctionText, defaults: DefaultsText, destinations: readonly string[]): FunctionSpec {
    const at = ['functions', name];
    const source = this.#notes.insidePath([...at, 'source'], text.source, 'folder') ?? '';
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
      place: this.#notes.yaml.placeOf(at, 'key'),
    };
  }

  #readEntry(at: readonly string[], text: string, runtime: Runtime): Entry {
    const hash = text.lastIndexOf('#');
    const [file, member] = hash < 0 ? [text, ''] : [text.slice(0, hash), text.slice(hash + 1)];
    const wantsMember = !isNative(runtime.language);
    if (wantsMember !== hash >= 0) {
      const better = wantsMember ? betterEntry(text) : file;
      this.#notes.add(
        at,
        wantsMember ? 'an entry written `FILE#MEMBER`, such as `alert.mjs#decide`' : 'just a file for native code',
        `\`${printable(text)}\``,
        better === undefined ? 'name the member behind `#`' : `write \`${printable(better)}\``,
      );
      return { text, file, member };
    }
    const { pattern, endings } = ENTRY_FILES[runtime.language] ?? { pattern: /./, endings: 'anything' };
    if (runtime.language !== 'java' && (settlePath(file) !== file || file.includes('\\')))
      this.#notes.add(
        at,
        'a file inside the source folder, written plainly',
        `\`${printable(file)}\``,
        'write the path from the source folder, with `/`',
      );
    else if (!pattern.test(file))
      this.#notes.add(
        at,
        runtime.language === 'java' ? endings : `a file that ends in ${endings}`,
        `\`${printable(file)}\``,
        runtime.language === 'java' ? 'write it as `package.Class#method`' : 'name the file that the host loads',
      );
    return { text, file, member };
  }

  #readNeeds(
    at: readonly string[],
    text: FunctionText,
    defaults: DefaultsText,
  ): Pick<
    FunctionSpec,
    'needs' | 'sources' | 'trim' | 'bytecode' | 'adapter' | 'link' | 'minify' | 'sourcemap' | 'jvm' | 'native' | 'image'
  > {
    const { language } = settleRuntime(text.runtime);
    this.#refuseForeignKeys(at, text, language);
    const path = text.sources === undefined ? ['defaults', 'sources'] : [...at, 'sources'];
    const sources = (text.sources ?? defaults.sources ?? []).flatMap(
      (one, i) => this.#readSource([...path, String(i)], one) ?? [],
    );
    const trim = text.trim ?? defaults.trim ?? 'safe';
    const needs = this.#readNeedsKey([...at, 'needs'], text.needs, language);
    return {
      ...(needs !== undefined && { needs }),
      sources,
      trim: typeof trim === 'string' ? trim : 'traced',
      bytecode: text.bytecode ?? false,
      ...(text.adapter !== undefined && { adapter: text.adapter }),
      link: text.link ?? false,
      minify: text.minify ?? false,
      sourcemap: text.sourcemap ?? 'none',
      ...this.#readOwnKeys(at, text, language, typeof trim !== 'string'),
    };
  }

  #refuseForeignKeys(at: readonly string[], text: FunctionText, language: string): void {
    for (const key of new Set(Object.values(KEYS_OF).flat())) {
      const owners = Object.keys(KEYS_OF).filter((owner) => KEYS_OF[owner]?.includes(key) === true);
      if (owners.includes(language) || text[key] === undefined) continue;
      this.#notes.add(
        [...at, key],
        `it only for ${listed(
          owners.map((owner) => LANGUAGES[owner] ?? owner),
          'and',
        )} functions`,
        `it for \`${text.runtime}\``,
        key === 'sources' ? 'take it out; registries of packages stand in `.npmrc`' : 'take it out',
        'key',
      );
    }
    const forms = (FORMS_OF[language] ?? USUAL_FORMS).map((one) => `\`${one}\``);
    if (!forms.includes(`\`${text.artifact}\``))
      this.#notes.add(
        [...at, 'artifact'],
        listed(forms, 'or'),
        `\`${text.artifact}\` for \`${text.runtime}\``,
        `write ${forms[0] ?? ''}`,
      );
    this.#refuseImageKeys(at, text);
    const adapters = ADAPTERS_OF[language] ?? [];
    if (text.adapter !== undefined && !adapters.includes(text.adapter))
      this.#notes.add(
        [...at, 'adapter'],
        adapters.length === 0
          ? 'it only for web applications in Python and Node.js'
          : listed(
              adapters.map((one) => `\`${one}\``),
              'or',
            ),
        `\`${text.adapter}\` for \`${text.runtime}\``,
        'name one for this language',
      );
    if (text.minify === true && text.link !== true)
      this.#notes.add(
        [...at, 'minify'],
        '`link: true` beside it',
        'it alone',
        'add `link: true`, or take it out',
        'key',
      );
  }

  #refuseImageKeys(at: readonly string[], text: FunctionText): void {
    for (const key of IMAGE_KEYS)
      if (text.artifact !== 'image' && text[key] !== undefined)
        this.#notes.add(
          [...at, key],
          'it only for images',
          `it with \`artifact: ${text.artifact}\``,
          'take it out',
          'key',
        );
  }

  /** What only some languages and forms have. */
  #readOwnKeys(
    at: readonly string[],
    text: FunctionText,
    language: string,
    isDeep: boolean,
  ): Pick<FunctionSpec, 'jvm' | 'native' | 'image'> {
    return {
      ...(language === 'java' && { jvm: readJvmKeys(this.#notes, at, text, isDeep) }),
      ...(isNative(language) && { native: readNativeKeys(this.#notes, at, text, language) }),
      ...(text.artifact === 'image' && {
        image: readImageKeys(this.#notes, at, text, isNative(language) ? undefined : language),
      }),
    };
  }

  #readNeedsKey(at: readonly string[], needs: FunctionText['needs'], language: string): Needs | undefined {
    if (Array.isArray(needs)) {
      if (language === 'node' || isNative(language))
        this.#notes.add(
          at,
          NEED_FILES[language]?.expected ?? 'a file',
          'a list',
          'state the packages where the language wants them, lock them with its own tool, and leave `needs` out',
        );
      return {
        kind: 'list',
        items: needs.map((text, i) => ({ text, place: this.#notes.yaml.placeOf([...at, String(i)]) })),
      };
    }
    if (needs === undefined) return undefined;
    const [, file = needs, groups] = /^(.*\.toml)\[([^\]]*)\]$/.exec(needs) ?? [];
    const path = this.#notes.insidePath(at, file, /(?:^|\/)node_modules$/.test(file) ? 'folder' : 'file');
    const known = NEED_FILES[language];
    if (path !== undefined && known?.pattern.test(baseOf(path)) === false)
      this.#notes.add(
        at,
        known.expected,
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
      this.#notes.add(
        at,
        'one of `index` and `folder`',
        index === undefined ? 'neither' : 'both',
        index === undefined ? 'name one of the two' : 'keep one of the two',
      );
      return undefined;
    }
    const path = folder === undefined ? index : this.#notes.insidePath([...at, 'folder'], folder, 'folder');
    if (path === undefined) return undefined;
    const kind = folder === undefined ? 'index' : 'folder';
    return {
      kind,
      at: path,
      ...(source.id !== undefined && { id: source.id }),
      ...(serves !== undefined && { serves }),
    };
  }

  #readArchs(at: readonly string[], text: FunctionText, defaults: DefaultsText): Arch[] {
    const archs = text.arch ?? defaults.arch;
    if (archs === undefined) {
      this.#notes.add([...at, 'arch'], '`arch` here or in `defaults`', 'neither', 'add `arch: [arm64]`, say');
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
      this.#notes.add(
        [...at, 'destination'],
        '`destination` here or in `defaults`',
        'neither',
        'add `destination: NAME`',
      );
      return '';
    }
    const path = text.destination === undefined ? ['defaults', 'destination'] : [...at, 'destination'];
    const place = this.#notes.yaml.placeOf(path);
    const told = this.#notes.problems.some((p) => p.place.line === place.line && p.place.column === place.column);
    if (!known.includes(name) && !told)
      this.#notes.problems.push(unknownWord(this.#notes.yaml, path, name, known, 'value'));
    return name;
  }

  #readSettings(at: readonly string[], settings: NonNullable<FunctionText['settings']>): Setting[] {
    return Object.entries(settings).map(([name, { sample, secret }]) => {
      if (!SETTING_PATTERN.test(name))
        this.#notes.add(
          [...at, name],
          'letters, digits and `_`, not beginning with a digit',
          `\`${printable(name)}\``,
          'rename the setting',
          'key',
        );
      if (sample !== undefined && secret === true)
        this.#notes.add(
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
        this.#notes.add(
          path,
          'a path inside the project',
          `\`${printable(pattern)}\``,
          'put the events into the project folder',
        );
      else if (!/[*?[{]/.test(pattern)) this.#notes.insidePath(path, pattern, 'file');
      return pattern;
    });
  }
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
export function patchFunction(
  value: Record<string, unknown>,
  destinations: readonly string[],
): FunctionText | undefined {
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
