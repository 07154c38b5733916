/**
 * What Maven on this machine would ask: the repositories of its settings' active profiles, then those of the project's
 * POMs, then the one that stands in its installation's own POM ("Introduction to Repositories", "Repository order").
 */
import { readTextNow } from '../../../disk/to-read';
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { EmballageError } from '../../../base/errors';
import { present } from '../../../base/present';
import { printable } from '../../../base/text';
import { sourceOfBytes } from '../../../formats/byte-source';
import { child, children, childText, readXml, type XmlElement } from '../../../formats/xml';
import { findEntry, readEntry } from '../../../formats/zip';
import type { Project } from '../../../project/targets';
import type { FunctionSpec } from '../../../sheet';
import { sheetSources, shownPath, type ChosenSource } from '../../../sources';
import type { Machine } from '../../../toolchains/machine';
import { programsNamed } from '../../../toolchains/programs';
import { readJvmNeeds, readProjectPom } from '../locks/needs';
import { readMavenSettings, readRepositories, type MavenSettings, type StatedRepository } from './maven-settings';

const MAX_POM_BYTES = 1024 * 1024;

export interface ChosenRepositories {
  readonly sources: readonly ChosenSource[];
  readonly settings: MavenSettings;
  readonly notes: readonly string[];
}

/** @throws EmballageError REQUIREMENTS_INVALID where nobody says where to ask */
export function repositoriesOf(project: Project, spec: FunctionSpec<'jvm'>, machine: Machine): ChosenRepositories {
  const settings = readMavenSettings(settingsFiles(project, machine), {
    variable: machine.variable,
    arch: machine.arch,
    java: Number(spec.runtime.version),
    isThere: (path) => existsSync(path.replaceAll('${user.home}', machine.home)),
  });
  if (spec.sources.length > 0) return { sources: sheetSources(project.root, spec.sources), settings, notes: [] };
  const notes: string[] = [];
  const sources = new Map<string, ChosenSource>();
  for (const one of [...settings.repositories, ...pomRepositories(project, spec), ...ownDefault(machine)]) {
    const mirror = settings.mirrorFor(one);
    const known = one.id ?? one.url;
    if (mirror.isBlocked === true)
      notes.push(
        `${printable(one.url)} (${printable(one.shown)}) is not asked: the mirror \`${printable(mirror.id ?? '')}\` blocks it`,
      );
    else if (one.url.includes('${'))
      notes.push(`${printable(one.url)} (${printable(one.shown)}) is not asked: nothing says what it stands for`);
    // The first that has an id counts for it.
    else if (!sources.has(known)) sources.set(known, chosen(one));
  }
  if (sources.size > 0) return { sources: [...sources.values()], settings, notes };
  throw new EmballageError('REQUIREMENTS_INVALID', {
    doing: `settling what ${spec.name} needs`,
    where: project.files[0] ?? '',
    expected: '`sources`, or settings of Maven or a POM that name repositories',
    found: 'none of them, and no Maven here that could be asked',
    mend: 'add `sources: [{ index: "https://…" }]`, or `[{ folder: repository }]`',
  });
}

function chosen({ id, url, shown }: StatedRepository): ChosenSource {
  const place = url.startsWith('file:')
    ? { kind: 'folder' as const, at: fileURLToPath(url) }
    : { kind: 'index' as const, at: url };
  return present({ ...place, id, why: id === undefined ? shown : `\`${id}\` in ${shown}` });
}

/** The settings that the project's own options name, the user's, and the system's; the first that speaks of an id counts. */
function settingsFiles({ root }: Project, { home, variable, searchPath }: Machine): { text: string; shown: string }[] {
  const options = readText(join(root, '.mvn/maven.config'))?.split(/\s+/) ?? [];
  const named = (...names: readonly string[]): string | undefined => {
    const at = options.findIndex((one) => names.includes(one));
    return at < 0 ? undefined : options[at + 1];
  };
  const installed = homeOf({ variable, searchPath });
  const user = named('-s', '--settings');
  const system = named('-gs', '--global-settings');
  const paths = [
    user === undefined ? join(home, '.m2/settings.xml') : join(root, user),
    system !== undefined
      ? join(root, system)
      : installed === undefined
        ? '/etc/maven/settings.xml'
        : join(installed, 'conf/settings.xml'),
  ];
  return paths.flatMap((path) => {
    const text = readText(path);
    return text === undefined ? [] : [{ text, shown: shownPath(path, home) }];
  });
}

function homeOf({ variable, searchPath }: Pick<Machine, 'variable' | 'searchPath'>): string | undefined {
  const [program] = programsNamed(/^mvn$/, searchPath);
  return (
    variable('MAVEN_HOME') ?? variable('M2_HOME') ?? (program === undefined ? undefined : dirname(dirname(program)))
  );
}

function readText(path: string): string | undefined {
  try {
    return readTextNow(path);
  } catch {
    // Most of them are not there.
    return undefined;
  }
}

/** Of the function's POM and its parents in the project; properties are those of these. */
function pomRepositories(project: Project, spec: FunctionSpec<'jvm'>): StatedRepository[] {
  const poms = (readJvmNeeds(project, spec)?.files ?? []).flatMap((path) => {
    const read = readXml(readProjectPom(project, path));
    return 'fault' in read ? [] : [{ path, root: read.root }];
  });
  const properties = new Map<string, string>();
  for (const { root } of poms)
    for (const { name, text } of child(root, 'properties')?.children ?? [])
      if (!properties.has(name)) properties.set(name, text);
  const fill = (text: string): string =>
    text.replace(/\$\{([^{}]+)\}/g, (whole, name: string) => properties.get(name) ?? whole);
  return poms.flatMap(({ path, root }) => [
    ...usualProfiles(root).flatMap((one) => readRepositories(one, path, fill)),
    ...readRepositories(root, path, fill),
  ]);
}

function usualProfiles(root: XmlElement): XmlElement[] {
  return children(child(root, 'profiles'), 'profile').filter(
    (one) => childText(child(one, 'activation'), 'activeByDefault') === 'true',
  );
}

/** What stands in the POM that every POM inherits from, which lies in a library of Maven's. */
function ownDefault(machine: Machine): StatedRepository[] {
  const home = homeOf(machine);
  if (home === undefined) return [];
  return machine.once(`maven default ${home}`, () => {
    const folder = join(home, 'lib');
    const names = existsSync(folder) ? readdirSync(folder).sort() : [];
    for (const name of names.filter((one) => /^maven-model-builder-.*\.jar$/.test(one))) {
      const source = sourceOfBytes(readFileSync(join(folder, name)));
      const entry = findEntry(source, name, (path) => path === 'org/apache/maven/model/pom-4.0.0.xml');
      if (entry === undefined) continue;
      const read = readXml(Buffer.from(readEntry(source, entry, MAX_POM_BYTES)).toString('utf8'));
      if (!('fault' in read)) return readRepositories(read.root, 'Maven’s own default', (text) => text);
    }
    return [];
  });
}
