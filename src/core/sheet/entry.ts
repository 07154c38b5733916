/** Entries and runtimes as a destination wants to be told of them. */
import type { Destination, DestinationRuntime, Entry, Runtime } from './model';
import type { EntryPart } from './part';

/** What a destination says of a runtime; undefined where it does not offer it. */
export function offeredRuntime(
  destination: Destination,
  runtime: Pick<Runtime, 'offered'> | undefined,
): DestinationRuntime | undefined {
  return runtime === undefined ? undefined : destination.runtimes.find(({ name }) => name === runtime.offered);
}

/** The name under which a destination starts native code, where it says one. */
export const DEFAULT_START = 'run';

/** An entry from its parts; code that is compiled has no member. */
export function entryOf({ file, member }: Pick<Entry, 'file' | 'member'>): Entry {
  return { text: member === '' ? file : `${file}#${member}`, file, member };
}

/** The entry string in the destination's own form: `{path}#{member}` makes `alert.mjs#decide`. */
export function entryString(destination: Destination, part: EntryPart, entry: Entry): string {
  if (part.hostKey === undefined) return entry.file;
  const form = destination.entry[part.hostKey] ?? part.hostForm;
  const words = part.words(entry);
  return form.replace(/\{(\w+)\}/g, (_, word: keyof typeof words) => words[word]);
}
