/** Entries as a destination wants to be told of them. */
import type { Destination, DestinationRuntime, Entry, Runtime } from './model';
import { isNative, NATIVE_RUNTIME } from '../languages/compiled/keys';

/** The words that may stand in braces in a destination's form of the entry string. */
export const ENTRY_WORDS = ['path', 'module', 'member', 'class', 'file'] as const;

/** The name by which destinations offer a runtime: native code of every language is the same to them. */
export function runtimeName({ text, language }: Runtime): string {
  return isNative(language) || language === NATIVE_RUNTIME ? NATIVE_RUNTIME : text;
}

/** What a destination says of a runtime; undefined where it does not offer it. */
export function offeredRuntime(destination: Destination, runtime: Runtime | undefined): DestinationRuntime | undefined {
  return runtime === undefined ? undefined : destination.runtimes.find(({ name }) => name === runtimeName(runtime));
}

/** The name under which a destination starts native code, where it says one. */
export const DEFAULT_START = 'run';

/** The entry string in the destination's own form: `{path}#{member}` makes `alert.mjs#decide`. */
export function entryString(destination: Destination, runtime: Runtime, entry: Entry): string {
  // An executable has no member; what is told is its name.
  if (isNative(runtime.language)) return entry.file;
  // A class is named, not its file.
  const isClass = runtime.language === 'java';
  const form =
    destination.entry[isClass ? 'jvm' : runtime.language] ?? (isClass ? '{class}#{member}' : '{path}#{member}');
  const module = isClass ? entry.file : entry.file.replace(/\.[^./]+$/, '');
  const words: Record<(typeof ENTRY_WORDS)[number], string> = {
    path: isClass ? `${module.replaceAll('.', '/')}.class` : entry.file,
    file: entry.file,
    module: runtime.language === 'python' ? module.replaceAll('/', '.') : module,
    class: module,
    member: entry.member,
  };
  return form.replace(/\{(\w+)\}/g, (_, word: keyof typeof words) => words[word]);
}
