/** What a repository holds that could be functions, each as a sheet would have it, with the reasons. */
import { formOf } from '../../forms';
import { baseOf, folderOf, joinPath, upwards, within } from '../../base/paths';
import { listed } from '../../base/text';
import { isCommonSetting } from '../../findings/common-settings';
import {
  LANGUAGES,
  type Language,
  type Reasoned,
  type SurveyedFunction,
  type SurveyedSetting,
  type Survey,
  type SurveyRequest,
} from '../../languages';
import { takesPlainRequests, type Destination, type FormId } from '../../sheet';
import { eventsOf, type FoundEvents } from './events';
import { formsThere, type FoundFunction, type Place } from './speech';

export interface ProposedSetting {
  readonly name: string;
  /** Where it is read. */
  readonly at: string;
  readonly isSecret: boolean;
  /** A value that stands beside, for people to begin with. */
  readonly sample?: string;
}

export interface ProposedFunction extends Omit<SurveyedFunction, 'runtime' | 'settings'> {
  readonly language: Language;
  readonly runtime: Reasoned;
  readonly form: Reasoned;
  readonly settings: readonly ProposedSetting[];
  /** Settings that it does without. */
  readonly optional: readonly SurveyedSetting[];
  readonly events?: FoundEvents;
}

/** The surveys of all languages, opened once for a repository. */
export type Surveys = ReadonlyMap<Language, Survey>;

/** What each language has that finds functions in the tree. */
export async function openSurveys(request: SurveyRequest): Promise<Surveys> {
  const opened = await Promise.all(
    LANGUAGES.map(async (language) => {
      const open = await language.survey?.();
      return open === undefined ? [] : [[language, open(request)] as const];
    }),
  );
  return new Map(opened.flat());
}

/** Functions found by all languages, with names that are all different, in the order of their folders. */
export async function proposeFunctions(
  surveys: Surveys,
  onLanguage: (title: string) => void,
): Promise<FoundFunction[]> {
  const all: FoundFunction[] = [];
  for (const [language, survey] of surveys) {
    onLanguage(language.title);
    for (const found of await survey.find()) all.push({ language, found });
  }
  all.sort((a, b) => order(a.found, b.found));
  const taken = new Set<string>();
  return all.map(({ language, found }) => ({ language, found: { ...found, name: freeName(found, language, taken) } }));
}

function order(a: SurveyedFunction, b: SurveyedFunction): number {
  return a.source < b.source ? -1 : a.source > b.source ? 1 : a.file < b.file ? -1 : 1;
}

function freeName({ name, source, file }: SurveyedFunction, { runtime }: Language, taken: Set<string>): string {
  const plain = slug(name);
  const above = slug(baseOf(folderOf(source)) || baseOf(folderOf(file)));
  const tries = [plain, ...(above === 'function' ? [] : [slug(`${above}-${plain}`)]), slug(`${plain}-${runtime.word}`)];
  let free = tries.find((one) => !taken.has(one));
  for (let n = 2; free === undefined; n++) if (!taken.has(`${plain}-${String(n)}`)) free = `${plain}-${String(n)}`;
  taken.add(free);
  return free;
}

/** A name as sheets have them: small letters, digits and hyphens. */
export function slug(name: string, otherwise = 'function'): string {
  const plain = name
    .replace(/([a-z0-9])([A-Z])/g, '$1-$2')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .slice(0, 56)
    .replace(/^-+|-+$/g, '');
  return plain === '' ? otherwise : plain;
}

/** A found function as the sheet would have it. */
export function proposed(request: SurveyRequest, one: FoundFunction, place: Place): ProposedFunction {
  const { tree } = request;
  const { language, found } = one;
  const { destination } = place;
  const events = eventsOf(tree, found);
  const inSource = events?.folder !== undefined && isIn(found.source, events.folder) ? events.folder : undefined;
  const samples = samplesFor(request, found.source);
  const read = found.settings.filter(({ name }) => !isCommonSetting(name));
  const required = uniqueBy(read.filter(({ hasDefault }) => !hasDefault));
  const optional = uniqueBy(read).filter(({ name }) => !required.some((one) => one.name === name));
  const leaveOut =
    inSource === undefined
      ? []
      : [{ key: 'leave-out', value: [`${within(found.source, inSource)}/`], why: 'events are for trying' }];
  const form = formFor(request, one, place);
  return {
    ...found,
    entries: withShape(found.entries, form.value, place),
    language,
    runtime: runtimeFor(found, language, destination),
    form,
    keys: mergeLeaveOut([
      ...found.keys,
      ...leaveOut,
      ...(formOf(form.value).isLayered === true ? [baseFor(language)] : []),
    ]),
    settings: required.map(({ name, file, line }) => {
      const sample = samples.get(name);
      const isSecret = isSecretName(name);
      return { name, at: `${file}:${String(line)}`, isSecret, ...(sample !== undefined && !isSecret && { sample }) };
    }),
    optional,
    ...(events !== undefined && { events }),
  };
}

/** What is called so is told to nobody. */
export function isSecretName(name: string): boolean {
  return /TOKEN|SECRET|PASSW|API_?KEY|PRIVATE|CREDENTIAL/i.test(name);
}

/** What layers stand on. */
function baseFor({ sheet }: Language): ProposedFunction['keys'][number] {
  return {
    key: 'base',
    value: { runtime: sheet.broughtBy ?? 'libc' },
    why: 'what this machine has; name an image of yours',
  };
}

function mergeLeaveOut(keys: ProposedFunction['keys']): ProposedFunction['keys'] {
  const [first, ...others] = keys.filter(({ key }) => key === 'leave-out');
  if (first === undefined || others.length === 0) return keys;
  const value = [...new Set([first, ...others].flatMap((one) => one.value as string[]))];
  return [...keys.filter(({ key }) => key !== 'leave-out'), { ...first, value }];
}

function uniqueBy(all: readonly SurveyedSetting[]): SurveyedSetting[] {
  return [...new Map([...all].reverse().map((one) => [one.name, one])).values()].reverse();
}

/** The version that is asked for, or the newest that fits of those that a destination offers. */
function runtimeFor({ runtime }: SurveyedFunction, language: Language, destination: Destination | undefined): Reasoned {
  const { value, why, fits } = runtime;
  if (destination === undefined || language.runtime.offeredAs !== undefined) return { value, why };
  const offered = destination.runtimes.flatMap(({ name }) => {
    const [word, version = ''] = name.split(' ');
    return word === language.runtime.word ? [version] : [];
  });
  if (offered.includes(value.split(' ')[1] ?? '')) return { value, why };
  const [best] = offered.filter(fits).sort((a, b) => versionOrder(b) - versionOrder(a));
  if (best === undefined) return { value, why: `${why}; ${destination.name} does not offer it` };
  return {
    value: `${language.runtime.word} ${best}`,
    why: `${why}; the newest of those that ${destination.name} offers`,
  };
}

function versionOrder(version: string): number {
  const [major = 0, minor = 0] = version.split('.').map(Number);
  return major * 1000 + minor;
}

function formFor({ tree }: SurveyRequest, one: FoundFunction, place: Place): Reasoned & { readonly value: FormId } {
  const { title, sheet } = one.language;
  const usual = sheet.forms[0];
  const value = formsThere(one, place)[0] ?? usual;
  const { name } = place.destination ?? { name: undefined };
  const why =
    value === usual
      ? `the usual form for ${title}`
      : name === undefined
        ? 'it listens on a port, and others beside it do not'
        : `what ${name} takes`;
  const recipe = (tree.folders.get(one.found.source) ?? []).find((name) => name.startsWith('Containerfile'));
  return { value, why: recipe === undefined ? why : `${why}; beside ${recipe}, \`image\` is another` };
}

/** A web application gets requests in a shape of the destination: where there are several, one has to be named. */
function withShape(
  [first, ...others]: SurveyedFunction['entries'],
  form: FormId,
  { destination, calls }: Place,
): SurveyedFunction['entries'] {
  const { adapter } = first;
  const [shape] = calls.shapes;
  if (
    adapter === undefined ||
    shape === undefined ||
    calls.shapes.length < 2 ||
    takesPlainRequests(formOf(form), calls)
  )
    return [first, ...others];
  const names = listed(calls.shapes.map(({ name }) => name));
  const value = `{ kind: ${adapter.value}, shape: ${shape.name} }`;
  const why = `${adapter.why}; ${destination?.name ?? ''} states the shapes ${names}`;
  return [{ ...first, adapter: { value, why } }, ...others];
}

const SAMPLE_FILES = /^\.?env\.(?:example|sample|template|dist)$|^(?:example|sample)\.env$/;

/** Values in the nearest file that shows what settings look like. */
function samplesFor({ tree }: SurveyRequest, source: string): Map<string, string> {
  const files = upwards(source).flatMap((folder) =>
    (tree.folders.get(folder) ?? []).filter((name) => SAMPLE_FILES.test(name)).map((name) => joinPath(folder, name)),
  );
  const pairs = files
    .reverse()
    .flatMap((file) => [...(tree.text(file) ?? '').matchAll(/^(?:export\s+)?([A-Za-z_]\w*)=(.*)$/gm)])
    .map(([, key = '', value = '']) => [key, value.trim().replace(/^(['"])(.*)\1$/, '$2')] as const);
  return new Map(pairs.filter(([, value]) => value !== ''));
}

function isIn(folder: string, path: string): boolean {
  return folder === '' || path === folder || path.startsWith(`${folder}/`);
}
