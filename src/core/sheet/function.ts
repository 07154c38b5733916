/** Reads one function of a packing sheet: defaults filled in, units settled, every mistake noted. */
import { isPattern, settlePath } from '../base/paths';
import { present } from '../base/present';
import { listed, printable } from '../base/text';
import { parseSize, parseTime } from '../base/units';
import { readAdapter } from './keys/adapter-key';
import { readBeside } from './keys/beside-key';
import { settleLimits } from './destination';
import { readInclude } from './keys/include-key';
import { betterEntry, unknownWord } from './text/issues';
import type { Acceptance, Arch, Destination, Entry, FormKeys, FunctionSpec, Runtime, Source } from './model';
import { readNeedsKey } from './keys/needs-key';
import type { SheetNotes } from './text/notes';
import type { OpenForm, OpenKeys, OpenLanguage, SheetLanguage } from './part';
import { formsFor, readRuntime, type Known } from './runtimes';
import { readSettings } from './keys/settings-key';
import { type DefaultsText, type functionSchema, type FunctionText } from './schema';

export class FunctionReader {
  readonly #notes: SheetNotes;
  readonly #languages: readonly OpenLanguage[];
  readonly #forms: readonly OpenForm[];

  constructor(notes: SheetNotes, { languages, forms }: OpenKeys) {
    this.#notes = notes;
    this.#languages = languages;
    this.#forms = forms;
  }

  read(
    name: string,
    text: FunctionText,
    defaults: DefaultsText,
    destinations: Readonly<Record<string, Destination | undefined>>,
  ): FunctionSpec {
    const at = ['functions', name];
    const source = this.#notes.insidePath([...at, 'source'], text.source, 'folder') ?? '';
    const memoryBytes = parseSize(text.memory ?? defaults.memory ?? '');
    const timeoutMs = parseTime(text.timeout ?? defaults.timeout ?? '');
    const { runtime, open } = this.#runtimeOf(text);
    const form = this.#formOf(text);
    const destination = this.#readDestinationName(at, text, defaults, Object.keys(destinations));
    return {
      name,
      source,
      runtime,
      entry: this.#readEntry([...at, 'entry'], text.entry, open.language.sheet),
      form: form.form,
      archs: this.#readArchs(at, text, defaults),
      destination,
      leaveOut: this.#readPatterns([...at, 'leave-out'], text['leave-out']),
      keep: this.#readPatterns([...at, 'keep'], text.keep),
      include: readInclude(this.#notes, [...at, 'include'], text.include),
      links: text.links ?? 'follow',
      emptyFolders: text['empty-folders'] ?? false,
      ...this.#readNeeds(at, text, defaults, open),
      ...this.#readFormKeys(at, text, form, open),
      ...this.#readAdapter(at, text, { open, form }, destinations[destination]),
      ...this.#readSettings(at, text, Object.keys(destinations)),
      limits: { ...settleLimits(defaults.limits), ...settleLimits(text.limits) },
      ...(memoryBytes !== undefined && { memoryBytes }),
      ...(timeoutMs !== undefined && { timeoutMs }),
      events: this.#readEvents([...at, 'events'], text.events),
      accept: (text.accept ?? []).map(settleAcceptance),
      place: this.#notes.yaml.placeOf(at, 'key'),
    };
  }

  /** Patterns are held against paths in the source folder: what leads out of it would match nothing. */
  #readPatterns(at: readonly string[], patterns: readonly string[] = []): readonly string[] {
    patterns.forEach((pattern, i) => {
      if (!/^!?\.\.(?:\/|$)/.test(pattern)) return;
      this.#notes.add(
        [...at, String(i)],
        'a pattern of paths in the source folder',
        `\`${printable(pattern)}\`, which leads out of it`,
        'take files from elsewhere with `include: [{ files: "shared/**", inside: shared/ }]`, or make shared code a package of the project (a workspace)',
      );
    });
    return patterns;
  }

  #runtimeOf({ runtime: text }: FunctionText): { readonly runtime: Runtime; readonly open: OpenLanguage } {
    const runtime = readRuntime(text, { all: this.#languages.map(({ language }) => language) });
    const open = this.#languages.find(({ language }) => language.id === runtime?.language);
    if (runtime === undefined || open === undefined) throw new Error(`the schema let \`${text}\` pass`);
    return { runtime, open };
  }

  #formOf({ artifact }: FunctionText): OpenForm {
    const found = this.#forms.find(({ form }) => form.id === artifact);
    if (found === undefined) throw new Error(`the schema let \`${artifact}\` pass`);
    return found;
  }

  /** The keys of its form; those of others are refused. */
  #readFormKeys(
    at: readonly string[],
    text: FunctionText,
    { form, keys }: OpenForm,
    { language: { sheet } }: OpenLanguage,
  ): FormKeys {
    const given: Readonly<Record<string, unknown>> = text;
    for (const { form: other } of this.#forms)
      for (const key of other.keys)
        if (!form.keys.includes(key) && given[key] !== undefined)
          this.#notes.add(
            [...at, key],
            `it only for ${other.titles}`,
            `it with \`artifact: ${form.id}\``,
            'take it out',
            'key',
          );
    return keys?.read({ notes: this.#notes, at, text, sheet }) ?? {};
  }

  #readEntry(at: readonly string[], text: string, { entry: part }: SheetLanguage['sheet']): Entry {
    const hash = text.lastIndexOf('#');
    const [file, member] = hash < 0 ? [text, ''] : [text.slice(0, hash), text.slice(hash + 1)];
    const isWrongMember = member.includes('.') && part.isMemberDotted !== true;
    if (part.hasMember !== hash >= 0 || isWrongMember) {
      const better = part.hasMember ? betterEntry(text) : file;
      this.#notes.add(
        at,
        part.hasMember ? `an entry written \`FILE#MEMBER\`, such as \`${part.sample}\`` : 'just a file for native code',
        `\`${printable(text)}\``,
        better === undefined ? 'name the member behind `#`' : `write \`${printable(better)}\``,
      );
      return { text, file, member };
    }
    if (part.isPath && (settlePath(file) !== file || file.includes('\\')))
      this.#notes.add(
        at,
        'a file inside the source folder, written plainly',
        `\`${printable(file)}\``,
        'write the path from the source folder, with `/`',
      );
    else if (!part.pattern.test(file))
      this.#notes.add(
        at,
        part.isPath ? `a file that ends in ${part.endings}` : part.endings,
        `\`${printable(file)}\``,
        part.mend,
      );
    return { text, file, member };
  }

  #readNeeds(
    at: readonly string[],
    text: FunctionText,
    defaults: DefaultsText,
    { language, keys }: OpenLanguage,
  ): Pick<FunctionSpec, 'needs' | 'sources' | 'trim' | 'isDeep' | 'isStrict' | 'byLanguage'> {
    this.#refuseForeignKeys(at, text, language);
    const path = text.sources === undefined ? ['defaults', 'sources'] : [...at, 'sources'];
    const sources = (text.sources ?? defaults.sources ?? []).flatMap(
      (one, i) => this.#readSource([...path, String(i)], one) ?? [],
    );
    const trim = text.trim ?? defaults.trim ?? 'safe';
    const how = typeof trim === 'string' ? undefined : trim.traced;
    const isDeep = how === 'deep';
    if (how !== undefined && text.trim !== undefined)
      this.#refuseTraced([...at, 'trim', 'traced'], how, text, language);
    const needs = readNeedsKey(this.#notes, [...at, 'needs'], text.needs, language);
    return {
      ...(needs !== undefined && { needs }),
      sources,
      trim: typeof trim === 'string' ? trim : 'traced',
      isDeep,
      isStrict: how === 'strict',
      byLanguage: keys.read({ notes: this.#notes, at, text, isDeep }),
    };
  }

  #refuseTraced(
    at: readonly string[],
    how: 'deep' | 'strict',
    { runtime }: FunctionText,
    { sheet: { traced = [] } }: SheetLanguage,
  ): void {
    if (traced.includes(how)) return;
    const expected = traced.length === 0 ? '`trim: traced`' : `\`${traced.join('` or `')}\``;
    this.#notes.add(at, expected, `\`${how}\` for \`${runtime}\``, 'write `trim: traced`');
  }

  #refuseForeignKeys(at: readonly string[], text: FunctionText, { id, sheet }: SheetLanguage): void {
    const all = this.#languages.map(({ language }) => language);
    const given: Readonly<Record<string, unknown>> = text;
    for (const key of new Set(all.flatMap((one) => one.sheet.keys))) {
      const owners = all.filter((one) => one.sheet.keys.includes(key));
      if (owners.some((one) => one.id === id) || given[key] === undefined) continue;
      this.#notes.add(
        [...at, key],
        `it only for ${listed(
          owners.map(({ title }) => title),
          'and',
        )} functions`,
        `it for \`${text.runtime}\``,
        sheet.instead?.[key] ?? 'take it out',
        'key',
      );
    }
    const able = formsFor(sheet, { forms: this.#forms.map(({ form }) => form) });
    const forms = able.map((one) => `\`${one}\``);
    if (!able.some((one) => one === text.artifact))
      this.#notes.add(
        [...at, 'artifact'],
        listed(forms, 'or'),
        `\`${text.artifact}\` for \`${text.runtime}\``,
        `write ${forms[0] ?? ''}`,
      );
  }

  #readAdapter(
    at: readonly string[],
    text: FunctionText,
    { open: { language }, form: { form } }: { readonly open: OpenLanguage; readonly form: OpenForm },
    destination: Destination | undefined,
  ): Pick<FunctionSpec, 'adapter' | 'shape'> {
    const able = this.#languages.flatMap((one) => (one.language.sheet.adapters.length > 0 ? [one.language.title] : []));
    const { adapters } = language.sheet;
    return readAdapter({ notes: this.#notes, at, text, form, adapters, able, destination });
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
    const result = this.#notes.problems.some((p) => p.place.line === place.line && p.place.column === place.column);
    if (!known.includes(name) && !result)
      this.#notes.problems.push(unknownWord(this.#notes.yaml, path, name, known, 'value'));
    return name;
  }

  /** Settings that are declared, and those that data beside the artifact is found by. */
  #readSettings(
    at: readonly string[],
    { settings = {}, beside: data }: FunctionText,
    destinations: readonly string[],
  ): Pick<FunctionSpec, 'settings' | 'beside'> {
    const declared = readSettings(this.#notes, [...at, 'settings'], settings, destinations);
    const names = declared.map(({ name }) => name);
    const beside = readBeside(this.#notes, [...at, 'beside'], data, names);
    const found = beside.map(({ name, setting }) => ({ name: setting, secret: false, beside: name }));
    return { settings: [...declared, ...found], beside };
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
      else if (!isPattern(pattern)) this.#notes.insidePath(path, pattern, 'file');
      return pattern;
    });
  }
}

/**
 * What can be read of a function's text: where a key is wrong, which has been told, something harmless stands in for it,
 * so that the others are looked at all the same.
 */
export function patchFunction(
  value: Record<string, unknown>,
  destinations: readonly string[],
  { known, schema: whole }: { readonly known: Known; readonly schema: ReturnType<typeof functionSchema> },
): FunctionText | undefined {
  const [example] = known.all;
  const harmless: Record<string, unknown> = {
    source: '',
    runtime: example?.runtime.sample,
    entry: example?.sheet.entry.sample,
    artifact: example?.sheet.forms[0],
    arch: ['arm64'],
    destination: destinations[0],
  };
  const patched: Record<string, unknown> = {};
  for (const [key, schema] of Object.entries(whole.shape)) {
    const isGiven = key in value;
    const isRight = isGiven && schema.safeParse(value[key]).success;
    const isOptional = schema.safeParse(undefined).success;
    if (isRight) patched[key] = value[key];
    else if ((isGiven || !isOptional) && harmless[key] !== undefined) patched[key] = harmless[key];
  }
  const result = whole.safeParse(patched);
  return result.success ? result.data : undefined;
}

function settleAcceptance(text: NonNullable<FunctionText['accept']>[number]): Acceptance {
  const { where, fingerprint, because, ...rest } = text;
  return { ...rest, ...present({ where, fingerprint, because }) };
}
