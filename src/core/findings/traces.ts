/** Traces of the machine and the person that built something. */
import type { Surroundings } from './rule';

export interface TraceWord {
  /** `the home of who built it`. */
  readonly what: string;
  readonly text: string;
  /** It counts only where no letter stands beside it. */
  readonly isWord: boolean;
}

/** Names that say nothing of anybody: those of every build machine. */
const COMMON =
  /^(?:root|user|users|admin|build|builder|builds|ci|runner|jenkins|node|app|ubuntu|debian|fedora|vagrant|worker|work|workspace|home|dev|developer|test|tests|tmp|src|localhost|nobody|default|main|project)$/i;

/** The texts that would tell of this machine: its folders, its user, its name. Too common ones are left out. */
export function wordsOf(surroundings: Surroundings | undefined): TraceWord[] {
  if (surroundings === undefined) return [];
  const { folders, user, host } = surroundings;
  const paths = folders
    // One folder at the top is every machine's: `/root/`, `/work/`.
    .filter((folder) => folder.split('/').filter((part) => part !== '').length > 1)
    .map((text) => ({ what: 'a folder of this machine', text: text.replace(/\/*$/, '/'), isWord: false }));
  const who = (text: string): TraceWord => ({ what: 'the home of who built it', text, isWord: false });
  const isNamed = user.length >= 3 && !COMMON.test(user);
  return [
    ...paths,
    ...(isNamed ? [`/home/${user}/`, `/Users/${user}/`, `\\Users\\${user}\\`].map(who) : []),
    ...(host.length >= 6 && !COMMON.test(host) ? [{ what: 'the name of this machine', text: host, isWord: true }] : []),
  ];
}

/** What of it stands in bytes, each once. */
export function findTraces(bytes: Uint8Array, words: readonly TraceWord[]): string[] {
  const buffer = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  return [...new Set(words.filter((word) => traceAt(buffer, word) !== undefined).map(({ what }) => what))];
}

/** Where it stands first; undefined where it does not. */
export function traceAt(bytes: Buffer, { text, isWord }: TraceWord): number | undefined {
  const isLetter = (byte: number | undefined): boolean => byte !== undefined && /\w/.test(String.fromCharCode(byte));
  for (let at = bytes.indexOf(text); at >= 0; at = bytes.indexOf(text, at + 1))
    if (!isWord || !(isLetter(bytes[at - 1]) || isLetter(bytes[at + text.length]))) return at;
  return undefined;
}
