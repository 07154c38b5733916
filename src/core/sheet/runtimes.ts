/** The words of `runtime`, made of what the languages say: which there are, how they are read and offered. */
import { listed } from '../base/text';
import type { FormId, Runtime, WayFacts, WayName } from './model';
import type { PartSchemas, RuntimeWords, SheetForm, SheetLanguage, SheetPart, SheetWay } from './part';

/** A runtime that destinations may offer already, although no function of it can be packed yet. */
export interface ForeseenRuntime {
  readonly runtime: RuntimeWords;
  /** Key under `entry` of a destination. */
  readonly hostKey: string;
}

/** All languages and forms, and what is foreseen beside them. */
export interface Known {
  /** In the order in which they are shown; the first gives examples for all. */
  readonly all: readonly SheetLanguage[];
  readonly foreseen: readonly ForeseenRuntime[];
  /** In the order in which they are shown. */
  readonly forms: readonly SheetForm[];
  /** Ways of delivery, in the order in which they are shown. */
  readonly ways: readonly SheetWay[];
}

/** The forms that functions of a language can have, the usual one first. */
export function formsFor({ forms: own }: SheetPart, { forms }: Pick<Known, 'forms'>): FormId[] {
  const alike = forms.filter(({ holdsWhat }) => holdsWhat !== undefined && own.includes(holdsWhat));
  return [...own, ...alike.map(({ id }) => id)];
}

/** What is known of a way. @throws Error for a name that no schema would have let pass */
export function wayIn({ ways }: Pick<Known, 'ways'>, name: WayName): WayFacts {
  const found = ways.find((one) => one.name === name);
  if (found === undefined) throw new Error(`no way ${name}`);
  return found;
}

/** What a function may say: `node 20`. */
export function writtenPattern({ all }: Known): RegExp {
  const words = all.filter(({ runtime }) => runtime.isOfferedOnly !== true);
  return anyOf(words.map(({ runtime: { word, version } }) => withVersion(word, version?.sheet)));
}

/** What a destination may offer. */
export function offeredPattern(known: Known): RegExp {
  return anyOf(offeredWords(known).map(({ word, version }) => withVersion(word, version?.offered)));
}

/** What a destination may offer, as it is shown to people. */
export function offeredShown(known: Known): string[] {
  return offeredWords(known).map(({ word, version }) => (version === undefined ? word : `${word} ${version.shown}`));
}

/** Examples of what a destination may offer. */
export function offeredSamples(known: Known): string[] {
  return offeredWords(known).map(({ sample }) => sample);
}

/** Examples of what a function may say. */
export function writtenSamples({ all }: Known): string {
  const words = all.filter(({ runtime }) => runtime.isOfferedOnly !== true);
  return listed(
    words.map(({ runtime }) => `\`${runtime.sample}\``),
    'or',
  );
}

/** Keys of languages under `entry` of a destination. */
export function hostKeys({ all, foreseen }: Known): string[] {
  const keys = [...all.map(({ sheet }) => sheet.entry.hostKey), ...foreseen.map(({ hostKey }) => hostKey)];
  return [...new Set(keys.flatMap((key) => key ?? []))];
}

/** `node 20` as language and version; undefined where no language has that word. */
export function readRuntime(text: string, { all }: Pick<Known, 'all'>): Runtime | undefined {
  const [word = '', version = ''] = text.split(' ');
  const found = all.find(({ runtime }) => runtime.word === word);
  return found === undefined ? undefined : runtimeOf(found, text, version);
}

function runtimeOf({ id, runtime }: SheetLanguage, text: string, version: string): Runtime {
  return { text, language: id, version, offered: runtime.offeredAs ?? text };
}

/** Languages that are offered under another word are offered under that alone. */
function offeredWords({ all, foreseen }: Known): RuntimeWords[] {
  const known = [...all, ...foreseen].map(({ runtime }) => runtime);
  const versioned = known.filter(({ offeredAs, isOfferedOnly }) => offeredAs === undefined && isOfferedOnly !== true);
  return [...versioned, ...known.filter(({ isOfferedOnly }) => isOfferedOnly === true)];
}

function withVersion(word: string, version: string | undefined): string {
  return version === undefined ? word : `${word} ${version}`;
}

function anyOf(patterns: readonly string[]): RegExp {
  return new RegExp(`^(?:${patterns.join('|')})$`);
}

/** The shape of one part of every language, optional, under its id: for a schema of lock or waybill. */
export async function partFields<Key extends keyof PartSchemas>(
  { all }: Pick<Known, 'all'>,
  keys: readonly Key[],
): Promise<Readonly<Record<Key, Readonly<Record<string, NonNullable<PartSchemas[Key]>>>>>> {
  const found = await Promise.all(all.map(async ({ id, parts }) => ({ id, schemas: await parts?.() })));
  const fields = keys.map((key) => {
    const rows = found.flatMap(({ id, schemas }) => {
      const schema = schemas?.[key];
      return schema === undefined ? [] : [[id, schema] as const];
    });
    return [key, Object.fromEntries(rows)] as const;
  });
  return Object.fromEntries(fields) as Awaited<ReturnType<typeof partFields<Key>>>;
}
