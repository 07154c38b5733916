/** Where the files of a function come from, and why: by its sheet, or by what its ecosystem's own client would ask. */
import { join } from 'node:path';
import type { Source } from '../sheet';
import { listed, printable } from '../base/text';
import { withoutCredentials } from '../toolchains/credentials';

export interface ChosenSource {
  /** `index`: an address in the ecosystem's protocol; `folder`: an absolute path; `links`: a page with links to files. */
  readonly kind: 'index' | 'folder' | 'links';
  readonly at: string;
  /** By which settings of the ecosystem's client know it. */
  readonly id?: string;
  /** Patterns of the names that it serves; everything that no other source claims where there are none. */
  readonly serves?: readonly string[];
  /** Who names it: `sources` of the sheet, a variable, a file, the client itself. */
  readonly why: string;
}

/** A source as it stands in the lock: without a login, and in the project where it lies there. */
export interface NotedSource {
  readonly at: string;
  readonly why: string;
}

export const BY_SHEET = '`sources` in the sheet';

/** The sources that the sheet names, with folders as absolute paths. */
export function sheetSources(root: string, sources: readonly Source[]): ChosenSource[] {
  return sources.map(({ kind, at, serves, id }) => ({
    kind,
    at: kind === 'folder' ? join(root, at) : at,
    ...(serves !== undefined && { serves }),
    ...(id !== undefined && { id }),
    why: BY_SHEET,
  }));
}

/** A path as it may be recorded: from the project folder where it is in there, so that it is the same on every machine. */
export function recordedPath(root: string, path: string): string {
  return path.startsWith(`${root}/`) ? path.slice(root.length + 1) : path;
}

/** A source as it may be recorded. */
export function recordedSource(root: string, { kind, at }: Pick<ChosenSource, 'kind' | 'at'>): string {
  return kind === 'folder' ? recordedPath(root, at) : withoutCredentials(at);
}

/** Sources as the lock notes them. @param root absolute path of the project */
export function notedSources(root: string, sources: readonly ChosenSource[]): NotedSource[] {
  return sources.map((one) => ({ at: recordedSource(root, one), why: one.why }));
}

/** A file of settings as people name it: from their home where it is in there. */
export function shownPath(path: string, home: string): string {
  return path.startsWith(`${home}/`) ? `~/${path.slice(home.length + 1)}` : path;
}

/**
 * What to say of a package that several sources have: it comes from the first, which may not be the one that is meant.
 * @param pins the name that pins it to one @param at where it was taken, and others that have it too, as they may be recorded
 */
export function alsoAtNote(name: string, pins: string, at: string, others: readonly string[]): string {
  return (
    `${printable(name)} is at ${printable(at)} and at ${listed(others.map(printable))}; the first was taken. ` +
    `Say who serves it: \`sources: [{ index: …, serves: ["${printable(pins)}"] }, …]\``
  );
}
