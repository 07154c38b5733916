/** Entries as a destination wants to be told of them. */
import type { Destination, Entry, Runtime } from './model';

/** The words that may stand in braces in a destination's form of the entry string. */
export const ENTRY_WORDS = ['path', 'module', 'member', 'class', 'file'] as const;

/** The entry string in the destination's own form: `{path}#{member}` makes `alert.mjs#decide`. */
export function entryString(destination: Destination, runtime: Runtime, entry: Entry): string {
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
