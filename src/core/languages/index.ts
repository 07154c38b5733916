/** The one table of languages. A new language is a folder beside this file, and a line here. */
import type { FunctionSpec, LanguageId, Runtime } from '../sheet';
import { c } from './c';
import { dotnet } from './dotnet';
import { go } from './go';
import { jvm } from './jvm';
import type { Language, Work } from './language';
import { native } from './native';
import { node } from './node';
import { python } from './python';
import { rust } from './rust';
import type { Weighing } from './weighing';

const TABLE: { readonly [Id in LanguageId]: Language<Id> } = {
  node,
  python,
  jvm,
  dotnet,
  rust,
  go,
  c,
  native,
};

/** All of them, in the order in which they are shown. */
export const LANGUAGES: readonly Language[] = Object.values(TABLE);

/** The runtime of an executable of which nothing else is known. */
export const ANY_EXECUTABLE: Runtime = { text: 'native', language: 'native', version: '', offered: 'native' };

/** The light part of a language. */
export function languageOf(id: LanguageId): Language {
  return TABLE[id];
}

const open = new Map<LanguageId, Promise<Work>>();

/** The work of a language, loaded once. */
export function openLanguage(id: LanguageId): Promise<Work> {
  const work = open.get(id) ?? TABLE[id].open();
  open.set(id, work);
  return work;
}

/** The work of the language that a function is in. */
export function workOf({ runtime }: Pick<FunctionSpec, 'runtime'>): Promise<Work> {
  return openLanguage(runtime.language);
}

/** What all languages know of files in artifacts, as far as they know something. */
export async function allWeighing(): Promise<Weighing[]> {
  return Promise.all(LANGUAGES.flatMap(({ weighing }) => (weighing === undefined ? [] : [weighing()])));
}

export type { Describing, InstalledPackage, PackageName } from './describing';
export type {
  EntryCandidate,
  LookedAt,
  Reasoned,
  SurveyedFunction,
  SurveyedKey,
  SurveyedSetting,
  SurveyedTree,
  Survey,
  SurveyNote,
  SurveyRequest,
} from './surveying';
export type {
  Assembly,
  AssemblyRequest,
  ChosenRuntime,
  Explained,
  FoundToolchains,
  HostRun,
  HostStart,
  ImageRun,
  Language,
  LockExport,
  LookedUp,
  MissingToolchain,
  NotedModules,
  Running,
  RuntimeFiles,
  SettleRequest,
  StatedNeeds,
  Thrown,
  ToolchainRow,
  ViewRequest,
  Work,
} from './language';
export type { LoadCost } from './load-cost';
export type { NamedPackage, Weighing } from './weighing';
export type { Offer, Page, PageFault, Pages, PagesKind } from './pages';
