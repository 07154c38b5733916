/** What a POM comes to: parents inherited, profiles taken in, properties filled in, managed versions applied. */
import { printable } from '../../../base/text';
import type { Arch } from '../../../sheet';
import { activeProfiles, isActivated } from './activation';
import { invalidPom, type Coordinates, type Pom, type Profile, type RawDependency } from './pom';

/** A dependency with everything said. */
export interface Dependency {
  readonly group: string;
  readonly artifact: string;
  readonly version: string;
  readonly type: string;
  readonly classifier: string;
  readonly scope: string;
  readonly isOptional: boolean;
  readonly exclusions: readonly Exclusion[];
}

export interface Exclusion {
  readonly group: string;
  readonly artifact: string;
}

export interface Managed {
  readonly version?: string;
  readonly scope?: string;
  readonly isOptional?: boolean;
  readonly exclusions: readonly Exclusion[];
}

export interface EffectivePom {
  readonly coordinates: Coordinates;
  readonly packaging: string;
  readonly dependencies: readonly Dependency[];
  /** By `group:artifact:type:classifier`. */
  readonly managed: ReadonlyMap<string, Managed>;
  readonly relocation?: Coordinates;
  /** Names of its licences, or their addresses. */
  readonly licences: readonly string[];
}

export interface PomSurroundings {
  /** Gives the POM of an artifact, and what messages call it. */
  readonly load: (coordinates: Coordinates) => Promise<{ readonly pom: Pom; readonly shown: string }>;
  /** Gives the parent that lies beside a POM of the project; undefined where that is another, or none. */
  readonly loadBeside?: (shown: string, parent: NonNullable<Pom['parent']>) => { pom: Pom; shown: string } | undefined;
  /** The Java version that profiles are held against. */
  readonly java: number;
  readonly arch: Arch;
}

const MAX_PARENTS = 64;
const MAX_IMPORTS = 64;
/** By what managed dependencies are told apart: group, artifact, type and classifier. */
export function managedKey({
  group,
  artifact,
  type,
  classifier,
}: Pick<Dependency, 'group' | 'artifact'> & { type?: string | undefined; classifier?: string | undefined }): string {
  return [group, artifact, type ?? 'jar', classifier ?? ''].join(':');
}

/** One level of inheritance, the POM itself first. */
interface Level {
  readonly pom: Pom;
  readonly shown: string;
  readonly profiles: readonly Profile[];
}

/** @throws EmballageError REQUIREMENTS_INVALID */
export async function effectivePom(
  start: { readonly pom: Pom; readonly shown: string },
  surroundings: PomSurroundings,
  importing: readonly string[] = [],
): Promise<EffectivePom> {
  const levels = await inheritance(start, surroundings);
  const own = coordinatesOf(levels);
  const fill = new Filler(levels, own);
  const coordinates = {
    group: fill.text(own.group, start.shown, 1),
    artifact: fill.text(own.artifact, start.shown, 1),
    version: fill.text(own.version, start.shown, 1),
  };
  const managed = await managedOf(levels, fill, surroundings, [...importing, Object.values(coordinates).join(':')]);
  const dependencies = new Map<string, Dependency>();
  for (const level of levels)
    for (const raw of [...level.profiles.flatMap((one) => one.dependencies), ...level.pom.dependencies]) {
      const one = settleDependency(raw, fill, level.shown, managed);
      // What is nearer to the POM itself replaces what it inherits.
      if (!dependencies.has(managedKey(one))) dependencies.set(managedKey(one), one);
    }
  const { relocation, packaging } = start.pom;
  return {
    coordinates,
    packaging: fill.text(packaging, start.shown, 1),
    dependencies: inOrder(dependencies, levels, fill),
    managed,
    licences: levels.find(({ pom }) => pom.licences.length > 0)?.pom.licences ?? [],
    ...(relocation !== undefined && {
      relocation: {
        group: fill.text(relocation.group ?? coordinates.group, start.shown, 1),
        artifact: fill.text(relocation.artifact ?? coordinates.artifact, start.shown, 1),
        version: fill.text(relocation.version ?? coordinates.version, start.shown, 1),
      },
    }),
  };
}

/** A POM's own dependencies come first, then those of its profiles, then what it inherits that it does not state itself. */
function inOrder(found: ReadonlyMap<string, Dependency>, levels: readonly Level[], fill: Filler): Dependency[] {
  const ordered = new Map<string, Dependency>();
  for (const { pom, profiles } of levels)
    for (const raw of [...pom.dependencies, ...profiles.flatMap((one) => one.dependencies)]) {
      const key = managedKey(fill.names(raw));
      const one = found.get(key);
      if (one !== undefined && !ordered.has(key)) ordered.set(key, one);
    }
  return [...ordered.values()];
}

async function inheritance(
  start: { readonly pom: Pom; readonly shown: string },
  surroundings: PomSurroundings,
): Promise<Level[]> {
  const levels: Level[] = [];
  let current = start;
  for (;;) {
    levels.push({
      ...current,
      profiles: activeProfiles(current.pom.profiles, (one) => isActivated(one, surroundings)),
    });
    const { parent } = current.pom;
    if (parent === undefined) return levels;
    const name = `${parent.group}:${parent.artifact}:${parent.version}`;
    const isCircle = levels.some(
      ({ pom }) => pom.artifact === parent.artifact && (pom.group ?? pom.parent?.group) === parent.group,
    );
    if (isCircle || levels.length > MAX_PARENTS)
      throw invalidPom(
        current.shown,
        isCircle ? `\`${printable(name)}\`, which is below it already` : `more than ${String(MAX_PARENTS)} of them`,
        { line: parent.line },
        'parents that end somewhere',
      );
    current = surroundings.loadBeside?.(current.shown, parent) ?? (await surroundings.load(parent));
  }
}

function coordinatesOf(levels: readonly Level[]): Coordinates {
  const [first] = levels;
  const artifact = first?.pom.artifact;
  // What a POM does not say itself is its parent's, which it names in full.
  const stated = levels.slice(0, 2).flatMap(({ pom }) => [pom, ...(pom.parent === undefined ? [] : [pom.parent])]);
  const group = stated.find((one) => one.group !== undefined)?.group;
  const version = stated.find((one) => one.version !== undefined)?.version;
  if (artifact !== undefined && group !== undefined && version !== undefined) return { group, artifact, version };
  const found = 'no group or version, and no parent that has them';
  throw invalidPom(first?.shown ?? '', found, { line: 1 }, '`groupId` and `version`');
}

/** Fills in `${…}`. */
class Filler {
  readonly #properties = new Map<string, string>();

  constructor(levels: readonly Level[], own: Coordinates) {
    const put = (name: string, value: string | undefined): void => {
      if (value !== undefined && !this.#properties.has(name)) this.#properties.set(name, value);
    };
    const stated = levels.flatMap(({ pom, profiles }) => [...[...profiles].reverse(), pom]);
    for (const { properties } of stated) for (const [name, value] of Object.entries(properties)) put(name, value);
    const first = levels[0]?.pom;
    for (const prefix of ['project.', 'pom.', '']) {
      put(`${prefix}groupId`, own.group);
      put(`${prefix}artifactId`, own.artifact);
      put(`${prefix}version`, own.version);
      put(`${prefix}packaging`, first?.packaging);
      put(`${prefix}parent.groupId`, first?.parent?.group);
      put(`${prefix}parent.artifactId`, first?.parent?.artifact);
      put(`${prefix}parent.version`, first?.parent?.version);
    }
  }

  /** @throws EmballageError for a property that nobody defines, or that defines itself */
  text(text: string, shown: string, line: number): string {
    const filled = this.lenient(text);
    const [, open] = /\$\{([^{}]*)\}/.exec(filled) ?? [];
    if (open === undefined) return filled;
    const isDefined = this.#properties.has(open.trim());
    throw invalidPom(
      shown,
      isDefined ? 'one that is defined by itself' : 'nothing that defines it',
      { line },
      `a value for \`\${${printable(open)}}\``,
    );
  }

  /** What cannot be filled in stays: most POMs say much that nobody ever asks for. */
  lenient(text: string, open: readonly string[] = []): string {
    if (!text.includes('${')) return text;
    return text.replace(/\$\{([^{}]*)\}/g, (whole, name: string) => {
      const value = this.#properties.get(name.trim());
      return value === undefined || open.includes(name) || open.length > 32
        ? whole
        : this.lenient(value, [...open, name]);
    });
  }

  optional(text: string | undefined): string | undefined {
    return text === undefined ? undefined : this.lenient(text).trim();
  }

  /** What tells dependencies apart. */
  names(raw: RawDependency): { group: string; artifact: string; type: string; classifier: string } {
    const at = (text: string): string => this.lenient(text).trim();
    const type = at(raw.type ?? 'jar') || 'jar';
    const classifier = at(raw.classifier ?? '');
    return { group: at(raw.group), artifact: at(raw.artifact), type, classifier };
  }
}

/** Scopes that nobody inherits from a dependency. */
const OWN_SCOPES = ['test', 'provided', 'system', 'import'];

function settleDependency(
  raw: RawDependency,
  fill: Filler,
  shown: string,
  managed: ReadonlyMap<string, Managed>,
): Dependency {
  const names = fill.names(raw);
  const rules = managed.get(managedKey(names));
  const scope = fill.optional(raw.scope) ?? rules?.scope ?? 'compile';
  const version = fill.optional(raw.version) ?? rules?.version;
  if (!OWN_SCOPES.includes(scope)) wantKnown(raw, { ...names, version }, fill, shown);
  const optional = fill.optional(raw.optional);
  return {
    ...names,
    version: version ?? '',
    scope,
    isOptional: optional === undefined ? (rules?.isOptional ?? false) : optional === 'true',
    exclusions: raw.exclusions.length > 0 ? exclusionsOf(raw, fill) : (rules?.exclusions ?? []),
  };
}

function wantKnown(
  raw: RawDependency,
  { group, artifact, version }: Pick<Dependency, 'group' | 'artifact'> & { readonly version: string | undefined },
  fill: Filler,
  shown: string,
): void {
  for (const text of [group, artifact, version ?? '']) fill.text(text, shown, raw.line);
  if (version !== undefined) return;
  const expected = `a version of \`${printable(`${group}:${artifact}`)}\``;
  throw invalidPom(shown, 'none, and nothing that manages it', raw, expected);
}

function exclusionsOf({ exclusions }: RawDependency, fill: Filler): Exclusion[] {
  return exclusions.map(({ group, artifact }) => ({ group: fill.lenient(group), artifact: fill.lenient(artifact) }));
}

/** Managed versions: a POM's own and inherited ones first, then those of imported POMs in their order. */
async function managedOf(
  levels: readonly Level[],
  fill: Filler,
  surroundings: PomSurroundings,
  importing: readonly string[],
): Promise<Map<string, Managed>> {
  const managed = new Map<string, Managed>();
  const imports: { coordinates: Coordinates; shown: string; line: number }[] = [];
  const stated = levels.flatMap(({ pom, profiles, shown }) =>
    [...profiles.flatMap((one) => one.managed), ...pom.managed].map((raw) => ({ raw, shown })),
  );
  for (const { raw, shown } of stated) {
    const names = fill.names(raw);
    const version = fill.optional(raw.version);
    if (raw.scope === 'import' && names.type === 'pom') {
      if (version !== undefined) imports.push({ coordinates: { ...names, version }, shown, line: raw.line });
    } else if (!managed.has(managedKey(names))) managed.set(managedKey(names), settleManaged(raw, fill, version));
  }
  for (const { coordinates, shown, line } of imports) {
    const name = `${coordinates.group}:${coordinates.artifact}:${coordinates.version}`;
    if (importing.includes(name) || importing.length > MAX_IMPORTS)
      throw invalidPom(shown, `\`${printable(name)}\`, which imports this one`, { line }, 'imports that end somewhere');
    const imported = await effectivePom(await surroundings.load(coordinates), surroundings, importing);
    for (const [key, value] of imported.managed) if (!managed.has(key)) managed.set(key, value);
  }
  return managed;
}

function settleManaged(raw: RawDependency, fill: Filler, version: string | undefined): Managed {
  const scope = fill.optional(raw.scope);
  const optional = fill.optional(raw.optional);
  return {
    ...(version !== undefined && { version }),
    ...(scope !== undefined && { scope }),
    ...(optional !== undefined && { isOptional: optional === 'true' }),
    exclusions: exclusionsOf(raw, fill),
  };
}
