/** Settles the dependencies of a JVM function: which artifacts in which versions, with digest, size and who asks for them. */
import { EmballageError } from '../../../base/errors';
import { present } from '../../../base/present';
import { printable } from '../../../base/text';
import { severalAtOnce } from '../../../base/several';
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
} from '../maven';
import type { LockedFunction, LockedPackage } from '../../../project/lock/lockfile';
import { packageStore } from '../../../project/user-packages';
import type { Project } from '../../../project/targets';
import type { Arch, FunctionSpec } from '../../../sheet';
import {
  alsoAtNote,
  notedSources,
  recordedPath,
  recordedSource,
  type ChosenSource,
  type HttpClient,
} from '../../../sources';
import type { Machine } from '../../../toolchains/machine';
import type { SettleRequest } from '../../language';
import { parentPath, readJvmNeeds, readProjectPom, type JvmNeeds } from './needs';
import type { LockedClash } from '../../../project/lock/locked-clash';
import { MavenRepositories } from '../repository/maven-repository';
import { repositoriesOf, type ChosenRepositories } from '../repository/own-repositories';

const AT_ONCE = 8;

/** Settles the artifacts that a JVM function depends on. @throws EmballageError where one cannot be had */
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
    sources: notedSources(project.root, settler.sources),
    targets,
    ...(clashes.size > 0 && { jvm: { clashes: [...clashes.values()] } }),
  };
}

/** The repositories of a function, as this machine reaches them. */
export function repositoriesFor(
  project: Project,
  spec: FunctionSpec<'jvm'>,
  { http, machine }: { readonly http: HttpClient; readonly machine: Machine },
): { readonly repositories: MavenRepositories; readonly http: HttpClient; readonly chosen: ChosenRepositories } {
  const chosen = repositoriesOf(project, spec, machine);
  const { sources, settings } = chosen;
  const client = settings.proxies === undefined ? http : http.with({ way: { proxies: settings.proxies } });
  const { credentials } = machine;
  const store = packageStore(project);
  return {
    repositories: new MavenRepositories(sources, { http: client, store, settings, credentials }),
    http: client,
    chosen,
  };
}

class Settler {
  readonly #request: SettleRequest<'jvm'>;
  readonly #needs: JvmNeeds;
  readonly #repositories: MavenRepositories;
  readonly #poms = new Map<string, Promise<EffectivePom>>();
  readonly sources: readonly ChosenSource[];

  constructor(request: SettleRequest<'jvm'>, needs: JvmNeeds) {
    this.#request = request;
    this.#needs = needs;
    const { repositories, chosen } = repositoriesFor(request.project, request.spec, request);
    this.#repositories = repositories;
    this.sources = chosen.sources;
    chosen.notes.forEach((note) => request.onNote(note));
  }

  async settle(arch: Arch): Promise<{ packages: LockedPackage[]; clashes: LockedClash[] }> {
    const { spec } = this.#request;
    const needs = this.#needs;
    const surroundings = this.#surroundings(arch);
    const own = needs.pom === undefined ? undefined : await this.#ownPom(needs.pom, surroundings);
    const direct = own?.dependencies ?? needs.listed;
    const managed = own?.managed ?? new Map<string, Managed>();
    const apart = new Set(spec.byLanguage.relocate.flatMap((one) => one.within ?? []));
    for (const name of apart) if (!direct.some((one) => nameOf(one) === name)) throw notDirect(spec, name);
    const main = await this.#resolve(
      direct.filter((one) => !apart.has(nameOf(one))),
      managed,
      surroundings,
    );
    const packages = await this.#fetchAll(main, surroundings, undefined);
    const clashes: LockedClash[] = main.overridden.map(plainClash);
    for (const name of [...apart].sort()) {
      // What is settled by itself takes no part in the choice of versions for the others.
      const alone = await this.#resolve(
        direct.filter((one) => nameOf(one) === name),
        managed,
        surroundings,
      );
      const known = new Set(packages.map(({ sha256 }) => sha256));
      packages.push(...(await this.#fetchAll(alone, surroundings, name)).filter(({ sha256 }) => !known.has(sha256)));
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

  async #fetchAll(
    { artifacts, overridden }: Resolution,
    surroundings: PomSurroundings,
    apart: string | undefined,
  ): Promise<LockedPackage[]> {
    const wanted = artifacts.filter(({ type }) => type === 'jar');
    const packages = new Array<LockedPackage | undefined>(wanted.length);
    await severalAtOnce(wanted.entries(), AT_ONCE, async ([i, artifact]) => {
      const locked = await this.#fetch(artifact, surroundings, apart);
      packages[i] = { ...locked, asked: this.#whoAsks(locked, overridden) };
    });
    return packages.filter((one) => one !== undefined);
  }

  /** Whose version it is, and who asked for others. */
  #whoAsks(
    { name, version, by }: LockedPackage,
    overridden: Resolution['overridden'],
  ): NonNullable<LockedPackage['asked']> {
    const others = overridden
      .filter((one) => one.name === name)
      .map((one) => ({ by: one.chain.at(-2) ?? this.#request.spec.name, as: one.version }));
    return [...by.map((one) => ({ by: one, as: version })), ...others];
  }

  /** What several repositories have comes from the first of them, which may not be the one that is meant. */
  async #tellOthers(name: string, coordinates: Coordinates, source: ChosenSource): Promise<void> {
    const { project, onNote } = this.#request;
    const others = await this.#repositories.alsoAt(coordinates, source);
    const [at = '', ...recorded] = [source, ...others].map((one) => recordedSource(project.root, one));
    if (recorded.length > 0) onNote(alsoAtNote(name, coordinates.group, at, recorded));
  }

  async #fetch(
    one: ResolvedArtifact,
    surroundings: PomSurroundings,
    apart: string | undefined,
  ): Promise<LockedPackage> {
    const { group, artifact, version, classifier, chain } = one;
    const found = await this.#repositories.fetch({ group, artifact, version, classifier, extension: 'jar' });
    const name = `${group}:${artifact}${classifier === '' ? '' : `:${classifier}`}`;
    if (found === undefined) throw missing(`the JAR of ${printable(`${name}:${version}`)}`, chain);
    const { root } = this.#request.project;
    await this.#tellOthers(name, { group, artifact, version }, found.source);
    const { licences } = await this.#effective({ group, artifact, version }, chain, surroundings);
    const own = present({
      apart,
      provided: one.isProvided ? (true as const) : undefined,
      licences: licences.length > 0 ? [...licences] : undefined,
    });
    return {
      name,
      version,
      file: found.file,
      sha256: found.sha256,
      size: found.size,
      index: recordedSource(root, found.source),
      from: recordedPath(root, found.from),
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
