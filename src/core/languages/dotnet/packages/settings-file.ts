/** `nuget.config`: the feeds of a machine and a project, their logins, and which names come from which ("nuget.config reference"). */
import { existsSync, readdirSync, readFileSync, statSync } from 'node:fs';
import { dirname, join, resolve } from 'node:path';
import { EmballageError } from '../../../base/errors';
import { printable } from '../../../base/text';
import { child, children, readXml, type XmlElement } from '../../../formats/xml';
import { shownPath, type ChosenSource } from '../../../sources';
import type { Machine } from '../../../toolchains/machine';

export interface FeedSettings {
  readonly sources: readonly ChosenSource[];
  /** Value of the Authorization header for a feed, by its name. */
  readonly logins: ReadonlyMap<string, string>;
  readonly notes: readonly string[];
}

const MOST_BYTES = 1024 * 1024;
const NAME = /^nuget\.config$/i;

/** Those of the project's folders from the given one up, then the user's: the nearer counts. @param folder absolute path */
export function feedSettings(root: string, folder: string, machine: Machine): FeedSettings {
  const taken: Taken = { sources: new Map(), disabled: new Set(), logins: new Map(), pinned: new Map(), notes: [] };
  let isCleared = false;
  for (const path of settingsFiles(root, folder, machine)) {
    const shown = path.startsWith(`${root}/`) ? path.slice(root.length + 1) : shownPath(path, machine.home);
    const settings = readSettings(path, shown);
    const feeds = isCleared ? [] : (child(settings, 'packageSources')?.children ?? []);
    for (const { name, attributes } of feeds)
      if (name === 'clear') isCleared = true;
      else takeFeed(taken, attributes, { path, shown, machine });
    takeRest(taken, settings, { path, shown, machine });
  }
  const { sources, disabled, pinned, logins, notes } = taken;
  const kept = [...sources.values()].filter(({ id = '' }) => !disabled.has(id));
  return {
    sources: kept.map((one) => {
      const serves = pinned.get(one.id ?? '');
      // A pattern for everything claims nothing of its own.
      return serves === undefined || serves.includes('*') ? one : { ...one, serves };
    }),
    logins,
    notes,
  };
}

interface Taken {
  readonly sources: Map<string, ChosenSource>;
  readonly disabled: Set<string>;
  readonly logins: Map<string, string>;
  /** Patterns of names by the feed that they come from. */
  readonly pinned: Map<string, readonly string[]>;
  readonly notes: string[];
}

function takeRest({ disabled, logins, pinned }: Taken, settings: XmlElement, taking: Taking): void {
  for (const { attributes } of children(child(settings, 'disabledPackageSources'), 'add'))
    if (attributes.value?.toLowerCase() === 'true') disabled.add(attributes.key ?? '');
  for (const feed of child(settings, 'packageSourceCredentials')?.children ?? []) takeLogin(logins, feed, taking);
  for (const one of children(child(settings, 'packageSourceMapping'), 'packageSource')) {
    const key = one.attributes.key ?? '';
    const patterns = one.children.flatMap(({ attributes }) => attributes.pattern ?? []);
    if (!pinned.has(key)) pinned.set(key, patterns);
  }
}

function settingsFiles(root: string, folder: string, machine: Machine): string[] {
  const found: string[] = [];
  for (let at = folder; at === root || at.startsWith(`${root}/`); at = dirname(at)) {
    const name = existsSync(at) ? readdirSync(at).find((one) => NAME.test(one)) : undefined;
    if (name !== undefined) found.push(join(at, name));
  }
  const own = ['.nuget/NuGet/NuGet.Config', '.config/NuGet/NuGet.Config'].map((path) => join(machine.home, path));
  return [...found, ...own.filter((path) => existsSync(path))].filter((path) => statSync(path).isFile());
}

function readSettings(path: string, shown: string): XmlElement {
  const read = statSync(path).size > MOST_BYTES ? undefined : readXml(readFileSync(path, 'utf8'));
  if (read !== undefined && 'root' in read && read.root.name === 'configuration') return read.root;
  const fault = read !== undefined && 'fault' in read ? read.fault : undefined;
  throw new EmballageError('REQUIREMENTS_INVALID', {
    doing: 'reading settings of feeds',
    where: fault === undefined ? printable(shown) : `${printable(shown)}:${String(fault.line)}:${String(fault.column)}`,
    expected: 'XML with a `<configuration>`',
    found: fault?.what ?? 'something else',
    mend: 'mend the file, or name `sources` in the sheet',
  });
}

interface Taking {
  /** Absolute path of the file. */
  readonly path: string;
  readonly shown: string;
  readonly machine: Machine;
}

function takeFeed(
  { sources, notes }: Taken,
  { key = '', value = '' }: Readonly<Record<string, string>>,
  { path, shown, machine }: Taking,
): void {
  if (sources.has(key)) return;
  const at = filled(value, machine);
  const why = `\`${key}\` in ${shown}`;
  if (/^https?:/i.test(at)) sources.set(key, { kind: 'index', at, id: key, why });
  else if (/^[a-z]+:\/\//i.test(at) || /^[a-z]:\\|^\\\\/i.test(at))
    notes.push(`${printable(at)} (${printable(shown)}) is not asked: it is no address or folder here`);
  else sources.set(key, { kind: 'folder', at: resolve(dirname(path), at.replaceAll('\\', '/')), id: key, why });
}

function takeLogin(logins: Map<string, string>, feed: XmlElement, { shown, machine }: Taking): void {
  // What no name of XML may hold is written by its number.
  const key = feed.name.replace(/_x([0-9A-Fa-f]{4})_/g, (_, code: string) => String.fromCharCode(parseInt(code, 16)));
  const values = new Map(children(feed, 'add').map(({ attributes }) => [attributes.key ?? '', attributes.value ?? '']));
  const [user, clear] = [values.get('Username'), values.get('ClearTextPassword')];
  if (logins.has(key)) return;
  if (user !== undefined && clear !== undefined) {
    const text = `${filled(user, machine)}:${filled(clear, machine)}`;
    logins.set(key, `Basic ${Buffer.from(text).toString('base64')}`);
  } else if (values.has('Password'))
    throw new EmballageError('REQUIREMENTS_INVALID', {
      doing: 'reading settings of feeds',
      where: printable(shown),
      expected: `\`ClearTextPassword\` for \`${printable(key)}\`, with the name of a variable such as \`%FEED_PASSWORD%\``,
      found: 'a password that only one user of Windows can decrypt',
      mend: 'write `ClearTextPassword` with a variable, or put the login into your netrc file',
    });
}

/** `%NAME%` is a variable of the environment. */
function filled(text: string, machine: Machine): string {
  return text.replace(/%(\w+)%/g, (whole, name: string) => machine.variable(name) ?? whole);
}
