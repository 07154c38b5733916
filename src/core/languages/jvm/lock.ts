/** Settles the dependencies of a JVM function: which artifacts in which versions, with digest, size and who asks for them. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { EmballageError } from '../../base/errors';
import { present } from '../../base/present';
import { printable } from '../../base/text';
import { severalAtOnce } from '../../base/several';
import {
  effectivePom,
  readPom,
  resolveArtifacts,
  type Coordinates,
  type Dependency,
  type EffectivePom,
  type Managed,
  type PomSurroundings,
  type Resolution,
  type ResolvedArtifact,
} from './maven';
import type { LockedFunction, LockedPackage } from '../../project/lockfile';
import { packageStore } from '../../project/package-store';
import type { Project } from '../../project/targets';
import type { Arch, FunctionSpec } from '../../sheet';
import type { HttpClient } from '../../sources';
import type { Machine } from '../../toolchains/machine';
import type { SettleRequest } from '../language';
import { parentPath, readJvmNeeds, readProjectPom, type JvmNeeds } from './needs';
import type { LockedClash } from './own';
import { MavenRepositories } from './repository/maven-repository';
import { readMavenSettings } from './repository/maven-settings';

const AT_ONCE = 8;

export async function settle(request: SettleRequest<'jvm'>): Promise<LockedFunction> {
  const { project, spec } = request;
  const needs = readJvmNeeds(project, spec);
  if (needs === undefined) throw new Error('no needs');
  const settler = new Settler(request, needs);
  const targets: Record<string, LockedPackage[]> = {};
  const clashes = new Map<string, LockedClash>();
  for (const arch of spec.archs) {
    request.onSettling(spec.name, arch);
    const settled = await settler.settle(arch);
    targets[arch] = settled.packages;
    for (const one of settled.clashes) clashes.set(`${one.name}:${one.version}`, one);
  }
  return {
    inputs: needs.inputs,
    targets,
    ...(clashes.size > 0 && { jvm: { clashes: [...clashes.values()] } }),
  };
}

/** The repositories that the sheet names, as this machine reaches them. */
export function repositoriesFor(
  project: Project,
  spec: FunctionSpec,
  { http, machine }: { readonly http: HttpClient; readonly machine: Machine },
): MavenRepositories {
  const { credentials, variable } = machine;
  const files = settingsFiles(machine).flatMap((path) => {
    try {
      return [{ text: readFileSync(path, 'utf8'), shown: path }];
    } catch {
      return [];
    }
  });
  const sources = spec.sources.map(({ kind, at, serves, id }) =>
    present({ kind, at: kind === 'folder' ? join(project.root, at) : at, serves, id }),
  );
  if (sources.length === 0)
    throw new EmballageError('REQUIREMENTS_INVALID', {
      doing: `settling what ${spec.name} needs`,
      where: project.files[0] ?? '',
      expected: '`sources`: repositories in the Maven layout',
      found: 'none, here or in `defaults`',
      mend: 'add `sources: [{ index: "https://…" }]`, or `[{ folder: repository }]`',
    });
  const store = packageStore(project);
  return new MavenRepositories(sources, {
    http,
    store,
    settings: readMavenSettings(files, variable),
    credentials,
  });
}

/** The user's settings, and the system's; the first that speaks of an id counts. */
function settingsFiles({ home, variable }: Machine): string[] {
  const system = variable('MAVEN_HOME') ?? variable('M2_HOME');
  return [
    join(home, '.m2/settings.xml'),
    system === undefined ? '/etc/maven/settings.xml' : join(system, 'conf/settings.xml'),
  ];
}

class Settler {
  readonly #request: SettleRequest<'jvm'>;
  readonly #needs: JvmNeeds;
  readonly #repositories: MavenRepositories;
  readonly #poms = new Map<string, Promise<EffectivePom>>();

  constructor(request: SettleRequest<'jvm'>, needs: JvmNeeds) {
    this.#request = request;
    this.#needs = needs;
    this.#repositories = repositoriesFor(request.project, request.spec, request);
  }

  async settle(arch: Arch): Promise<{ packages: LockedPackage[]; clashes: LockedClash[] }> {
    const { spec } = this.#request;
    const needs = this.#needs;
    const surroundings = this.#surroundings(arch);
    const own = needs.pom === undefined ? undefined : await this.#ownPom(needs.pom, surroundings);
    const direct = own?.dependencies ?? needs.listed;
    const managed = own?.managed ?? new Map<string, Managed>();
    const apart = new Set(spec.own.relocate.flatMap((one) => one.within ?? []));
    for (const name of apart) if (!direct.some((one) => nameOf(one) === name)) throw notDirect(spec, name);
    const main = await this.#resolve(
      direct.filter((one) => !apart.has(nameOf(one))),
      managed,
      surroundings,
    );
    const packages = await this.#fetchAll(main.artifacts, undefined);
    const clashes: LockedClash[] = main.overridden.map(plainClash);
    for (const name of [...apart].sort()) {
      // What is settled by itself takes no part in the choice of versions for the others.
      const alone = await this.#resolve(
        direct.filter((one) => nameOf(one) === name),
        managed,
        surroundings,
      );
      const known = new Set(packages.map(({ sha256 }) => sha256));
      packages.push(...(await this.#fetchAll(alone.artifacts, name)).filter(({ sha256 }) => !known.has(sha256)));
      clashes.push(...alone.overridden.map(plainClash));
    }
    return { packages, clashes };
  }

  #surroundings(arch: Arch): PomSurroundings {
    const { project, spec } = this.#request;
    return {
      java: Number(spec.runtime.version),
      arch,
      load: (coordinates) => this.#pom(coordinates, []),
      loadBeside: (shown, parent) => {
        const path = shown.endsWith('.xml') ? parentPath(project, shown, parent.relativePath) : undefined;
        if (path === undefined) return undefined;
        const pom = readPom(readProjectPom(project, path), path);
        const isMeant = pom.artifact === parent.artifact && (pom.version ?? pom.parent?.version) === parent.version;
        return isMeant ? { pom, shown: path } : undefined;
      },
    };
  }

  async #ownPom(path: string, surroundings: PomSurroundings): Promise<EffectivePom> {
    return effectivePom({ pom: readPom(readProjectPom(this.#request.project, path), path), shown: path }, surroundings);
  }

  #resolve(
    direct: readonly Dependency[],
    managed: ReadonlyMap<string, Managed>,
    surroundings: PomSurroundings,
  ): Promise<Resolution> {
    return resolveArtifacts({
      name: this.#request.spec.name,
      direct,
      managed,
      load: (dependency, chain) => this.#effective(dependency, chain, surroundings),
      versionsOf: (group, artifact) => this.#repositories.versions(group, artifact),
    });
  }

  #effective(coordinates: Coordinates, chain: readonly string[], surroundings: PomSurroundings): Promise<EffectivePom> {
    const { group, artifact, version } = coordinates;
    const key = `${surroundings.arch}:${group}:${artifact}:${version}`;
    let known = this.#poms.get(key);
    if (known === undefined) {
      known = this.#pom(coordinates, chain).then((found) => effectivePom(found, surroundings));
      this.#poms.set(key, known);
    }
    return known;
  }

  async #pom(
    { group, artifact, version }: Coordinates,
    chain: readonly string[],
  ): Promise<{ pom: ReturnType<typeof readPom>; shown: string }> {
    const found = await this.#repositories.pom(group, artifact, version);
    if (found !== undefined) return { pom: readPom(found.text, found.shown), shown: found.shown };
    throw missing(`the POM of ${printable(`${group}:${artifact}:${version}`)}`, chain);
  }

  async #fetchAll(artifacts: readonly ResolvedArtifact[], apart: string | undefined): Promise<LockedPackage[]> {
    const wanted = artifacts.filter(({ type }) => type === 'jar');
    const packages = new Array<LockedPackage | undefined>(wanted.length);
    await severalAtOnce(wanted.entries(), AT_ONCE, async ([i, artifact]) => {
      packages[i] = await this.#fetch(artifact, apart);
    });
    return packages.filter((one) => one !== undefined);
  }

  async #fetch(one: ResolvedArtifact, apart: string | undefined): Promise<LockedPackage> {
    const { group, artifact, version, classifier, chain } = one;
    const found = await this.#repositories.fetch({ group, artifact, version, classifier, extension: 'jar' });
    const name = `${group}:${artifact}${classifier === '' ? '' : `:${classifier}`}`;
    if (found === undefined) throw missing(`the JAR of ${printable(`${name}:${version}`)}`, chain);
    const { root } = this.#request.project;
    const inProject = (path: string): string => (path.startsWith(`${root}/`) ? path.slice(root.length + 1) : path);
    const own = present({ apart, provided: one.isProvided ? (true as const) : undefined });
    return {
      name,
      version,
      file: found.file,
      sha256: found.sha256,
      size: found.size,
      index: inProject(found.source.at),
      from: inProject(found.from),
      by: [chain.at(-2) ?? this.#request.spec.name],
      ...(apart !== undefined && { apart: `for ${apart}` }),
      ...(Object.keys(own).length > 0 && { jvm: own }),
    };
  }
}

function nameOf({ group, artifact }: Dependency): string {
  return `${group}:${artifact}`;
}

function plainClash({ name, version, chain, used, usedChain }: Resolution['overridden'][number]): LockedClash {
  return { name, version, chain: [...chain], used, usedChain: [...usedChain] };
}

function missing(what: string, chain: readonly string[]): EmballageError {
  return new EmballageError('REQUIREMENTS_IMPOSSIBLE', {
    doing: 'settling dependencies',
    where: chain.map(printable).join(' → '),
    expected: what,
    found: 'none of the repositories has it',
    mend: 'correct the version, or add the repository that has it to `sources`',
  });
}

function notDirect(spec: FunctionSpec, name: string): EmballageError {
  return new EmballageError('REQUIREMENTS_INVALID', {
    doing: `settling what ${spec.name} needs`,
    where: 'relocate',
    expected: `\`${printable(name)}\` (\`within\`) among what the function itself needs`,
    found: 'nothing of that name',
    mend: 'name it under `needs`, or correct `within`',
  });
}
