/** Settles the requirements of one function for one target: which version and file of each package. */
import { EmballageError } from '../../../base/errors';
import { count, listed, printable } from '../../../base/text';
import type { Candidate, Project } from '../sources/candidates';
import { explain } from './explain';
import { markerEnvironment } from '../versions/environment';
import { asksForExtra, holds, normalizeName, type MarkerEnvironment } from '../versions/marker';
import type { CoreMetadata } from '../wheel/metadata';
import { formatRequirement, parseRequirement, type Requirement } from '../versions/requirement';
import { membersOf, solve, setWhere, type Need, type NeedsOf, type SolverSource } from '../solver';
import { fitsAll, formatSpecifiers, mentionsPrerelease, type Specifier } from '../versions/specifier';
import type { PythonTarget } from '../versions/tags';

/** A requirement, and who states it, for messages and reasons: `requirements.txt:3`. */
export interface StatedRequirement {
  readonly requirement: Requirement;
  readonly by: string;
  /** A constraint limits what is chosen, but asks for nothing. */
  readonly isConstraint?: boolean;
  /** SHA-256 digests one of which the file must have; any where there are none. */
  readonly hashes?: readonly string[];
}

export interface PackageSource {
  /** Undefined where no source has the project. */
  project(name: string): Promise<Project | undefined>;
  metadata(project: Project, candidate: Candidate): Promise<CoreMetadata>;
}

export interface ResolvedPackage {
  readonly name: string;
  readonly candidate: Candidate;
  /** Names of the packages that ask for it, and who states it; sorted. */
  readonly by: readonly string[];
  /** Who of them asks for which versions. */
  readonly asked: readonly { readonly by: string; readonly as: string }[];
  /** Extras that were asked for, sorted. */
  readonly extras: readonly string[];
}

export interface ResolveRequest {
  /** Name of the function. */
  readonly name: string;
  readonly target: PythonTarget;
  readonly requirements: readonly StatedRequirement[];
  readonly source: PackageSource;
  /** Names of packages that the destination's runtime brings along. */
  readonly provided: ReadonlySet<string>;
  /** Where the destination would state its C library: the file, and the runtime in it. */
  readonly libcPlace?: { readonly file: string; readonly runtime: string };
  /** Versions to stay with where they fit, by name. */
  readonly prefer: ReadonlyMap<string, string>;
  /** What is worth knowing about what was settled. */
  readonly onNote?: (text: string) => void;
}

/**
 * @returns the packages, sorted by name
 * @throws EmballageError REQUIREMENTS_IMPOSSIBLE with the facts that exclude each other
 */
export async function resolveRequirements(request: ResolveRequest): Promise<ResolvedPackage[]> {
  return new Resolver(request).run();
}

class Resolver implements SolverSource {
  readonly #request: ResolveRequest;
  readonly #environment: MarkerEnvironment;
  readonly #projects = new Map<string, Project>();
  /** Packages for which a pre-release, or exactly one version, was asked for by name. */
  readonly #wantsPrerelease = new Set<string>();
  readonly #isPinned = new Set<string>();
  readonly #constraints = new Map<string, Specifier[]>();
  readonly #hashes = new Map<string, Set<string>>();
  root: (Need & { by: string })[] = [];

  constructor(request: ResolveRequest) {
    this.#request = request;
    this.#environment = markerEnvironment(request.target);
  }

  async run(): Promise<ResolvedPackage[]> {
    await this.#readRoot();
    const solution = await solve(this);
    if (solution.kind === 'impossible')
      throw this.#noLibc() ?? this.#impossible(explain(solution.facts, this.#projects));
    const packages = new Map<string, { candidate: Candidate; extras: string[] }>();
    for (const [id, version] of solution.versions) {
      const { name, extra } = splitId(id);
      const candidate = this.#projects.get(name)?.candidates[version];
      if (candidate === undefined) continue;
      const known = packages.get(name) ?? { candidate, extras: [] };
      if (extra !== undefined) known.extras.push(extra);
      packages.set(name, known);
    }
    const by = await this.#whoAsks(packages);
    await this.#tellExtras(packages);
    return [...packages]
      .sort(([a], [b]) => (a < b ? -1 : 1))
      .map(([name, { candidate, extras }]) => ({
        name,
        candidate,
        extras: extras.sort(),
        by: [...(by.get(name)?.keys() ?? [])].sort(),
        asked: [...(by.get(name) ?? [])].map(([who, as]) => ({ by: who, as })).sort((a, b) => (a.by < b.by ? -1 : 1)),
      }));
  }

  /** Installers go on without an extra that a package does not have; that should not go by in silence. */
  async #tellExtras(
    packages: ReadonlyMap<string, { readonly candidate: Candidate; readonly extras: readonly string[] }>,
  ): Promise<void> {
    for (const [name, { candidate, extras }] of packages) {
      const project = this.#projects.get(name);
      if (extras.length === 0 || project === undefined) continue;
      const known = (await this.#request.source.metadata(project, candidate)).extras;
      const has = known.length === 0 ? 'it has none' : `it has ${listed(known.slice(0, 8).map(printable))}`;
      for (const extra of extras)
        if (!known.some((one) => normalizeName(one) === normalizeName(extra)))
          this.#request.onNote?.(`${name} ${candidate.version.text} has no extra \`${printable(extra)}\`: ${has}`);
    }
  }

  async needsOf(id: string, version: number): Promise<NeedsOf> {
    const { name, extra } = splitId(id);
    const project = this.#projects.get(name);
    const candidate = project?.candidates[version];
    if (project === undefined || candidate === undefined) return { kind: 'unusable', why: 'it is not known' };
    const requirements: Requirement[] = [];
    const { requires } = await this.#request.source.metadata(project, candidate);
    for (const line of requires) {
      const reading = parseRequirement(line);
      if (reading.kind === 'fault')
        return { kind: 'unusable', why: `asks for \`${printable(line)}\`, which cannot be read` };
      if (this.#applies(reading.requirement, extra)) requirements.push(reading.requirement);
    }
    const withUrl = requirements.find((requirement) => requirement.url !== undefined);
    if (withUrl !== undefined)
      return { kind: 'unusable', why: `asks for \`${printable(withUrl.text)}\`, an address instead of a version` };
    const needs = await this.#needs(requirements);
    if (extra === undefined) return { kind: 'needs', needs };
    const own: Need = { name, set: 1n << BigInt(version), what: `${name}==${candidate.version.text}` };
    return { kind: 'needs', needs: [own, ...needs] };
  }

  choose(id: string, set: bigint): { version: number } | { why: string } {
    const { name } = splitId(id);
    const candidates = this.#projects.get(name)?.candidates ?? [];
    const kept = this.#keptVersion(name, candidates);
    if (kept !== undefined && (set & (1n << BigInt(kept))) !== 0n) return { version: kept };
    const isPlain = ({ isPrerelease, isLastResort, yanked }: Candidate): boolean =>
      !isPrerelease && isLastResort !== true && yanked === undefined;
    const hasFinal = candidates.some(isPlain);
    const takesPrerelease = this.#wantsPrerelease.has(name) || !hasFinal;
    let passedOver: Candidate | undefined;
    for (const version of membersOf(set)) {
      const candidate = candidates[version];
      if (candidate === undefined) break;
      const isRefused =
        (candidate.yanked !== undefined || candidate.isLastResort === true) && !this.#isPinned.has(name);
      if (!isRefused && (takesPrerelease || !candidate.isPrerelease)) return { version };
      passedOver ??= candidate;
    }
    return { why: passedOver === undefined ? 'no version is left' : whyPassedOver(name, passedOver) };
  }

  /** The index of the version to stay with. */
  #keptVersion(name: string, candidates: readonly Candidate[]): number | undefined {
    const kept = this.#request.prefer.get(name);
    const at = kept === undefined ? -1 : candidates.findIndex(({ version }) => version.text === kept);
    return at < 0 ? undefined : at;
  }

  versionText(id: string, version: number): string {
    return this.#projects.get(splitId(id).name)?.candidates[version]?.version.text ?? '';
  }

  async #readRoot(): Promise<void> {
    const stated = this.#request.requirements.filter(({ requirement }) => this.#applies(requirement, undefined));
    for (const { requirement, isConstraint, hashes } of stated) {
      this.#noteSpecifiers(requirement);
      if (isConstraint === true)
        this.#constraints.set(requirement.name, [
          ...(this.#constraints.get(requirement.name) ?? []),
          ...requirement.specifiers,
        ]);
      for (const hash of hashes ?? [])
        this.#hashes.set(requirement.name, (this.#hashes.get(requirement.name) ?? new Set()).add(hash));
    }
    for (const { requirement, by, isConstraint } of stated) {
      if (isConstraint === true) continue;
      const needs = await this.#needs([requirement]);
      this.root.push(...needs.map((need) => ({ ...need, by })));
    }
  }

  #applies({ marker }: Requirement, extra: string | undefined): boolean {
    if (marker === undefined) return extra === undefined;
    if (extra === undefined) return holds(marker, this.#environment);
    return asksForExtra(marker) && holds(marker, this.#environment, [extra]) && !holds(marker, this.#environment);
  }

  async #needs(requirements: readonly Requirement[]): Promise<Need[]> {
    const wanted = requirements.filter(({ name }) => !this.#request.provided.has(name));
    await Promise.all([...new Set(wanted.map(({ name }) => name))].map((name) => this.#learn(name)));
    return wanted.flatMap((requirement) => {
      this.#noteSpecifiers(requirement);
      const set = this.#setOf(requirement);
      const what = formatRequirement(requirement);
      return [requirement.name, ...requirement.extras.map((extra) => `${requirement.name}[${extra}]`)].map((name) => ({
        name,
        set,
        what,
      }));
    });
  }

  async #learn(name: string): Promise<void> {
    if (this.#projects.has(name)) return;
    const project = await this.#request.source.project(name);
    const hashes = this.#hashes.get(name);
    const all = project ?? { name, candidates: [], unusable: [] };
    const candidates = all.candidates.filter(
      ({ file }) => hashes === undefined || (file.sha256 !== undefined && hashes.has(file.sha256)),
    );
    this.#projects.set(name, { ...all, candidates });
  }

  #setOf({ name, specifiers }: Requirement): bigint {
    const candidates = this.#projects.get(name)?.candidates ?? [];
    const all = [...specifiers, ...(this.#constraints.get(name) ?? [])];
    return setWhere(candidates.length, (i) => {
      const candidate = candidates[i];
      return candidate !== undefined && fitsAll(all, candidate.version);
    });
  }

  #noteSpecifiers({ name, specifiers }: Requirement): void {
    if (specifiers.some(mentionsPrerelease)) this.#wantsPrerelease.add(name);
    if (specifiers.some(({ operator, wildcard }) => (operator === '==' && !wildcard) || operator === '==='))
      this.#isPinned.add(name);
  }

  /** For each package, who of those that were chosen asks for it, and for which versions. */
  async #whoAsks(
    packages: ReadonlyMap<string, { readonly candidate: Candidate; readonly extras: readonly string[] }>,
  ): Promise<Map<string, Map<string, string>>> {
    const asked = new Map<string, Map<string, string>>();
    const note = ({ name, specifiers, url }: Requirement, by: string): unknown =>
      asked.set(name, (asked.get(name) ?? new Map<string, string>()).set(by, url ?? formatSpecifiers(specifiers)));
    for (const { requirement, by, isConstraint } of this.#request.requirements)
      if (isConstraint !== true && this.#applies(requirement, undefined)) note(requirement, by);
    for (const [name, { candidate, extras }] of packages) {
      const project = this.#projects.get(name);
      if (project === undefined) continue;
      const { requires } = await this.#request.source.metadata(project, candidate);
      for (const line of requires) {
        const reading = parseRequirement(line);
        if (reading.kind !== 'requirement' || reading.requirement.name === name) continue;
        if ([undefined, ...extras].some((extra) => this.#applies(reading.requirement, extra)))
          note(reading.requirement, name);
      }
    }
    return asked;
  }

  /** Where the destination says nothing of its C library, compiled packages have no file, whatever else may be in the way. */
  #noLibc(): EmballageError | undefined {
    const { name, target, libcPlace } = this.#request;
    if (target.glibc !== undefined || target.musl !== undefined || libcPlace === undefined) return undefined;
    const compiled = [...this.#projects.values()]
      .filter(({ unusable }) => unusable.some(({ why }) => why.includes('without a C library')))
      .map((project) => project.name);
    if (compiled.length === 0) return undefined;
    const shown = listed(compiled.slice(0, 3));
    return new EmballageError('REQUIREMENTS_IMPOSSIBLE', {
      doing: `settling what ${name} needs for ${target.arch}, Python ${target.python}`,
      where: libcPlace.file,
      expected: 'the version of the C library that the destination has',
      found: `none stated, and ${shown}${compiled.length > 3 ? ' and others' : ''} ${compiled.length === 1 ? 'has' : 'have'} compiled code that needs one`,
      mend: `write \`${libcPlace.runtime}: { glibc: "2.36" }\` under \`runtimes\`, with the version that is there (or \`musl: "1.2"\`)`,
    });
  }

  #impossible(details: readonly string[]): EmballageError {
    const { arch, python, glibc, musl } = this.#request.target;
    const libc = glibc !== undefined ? `, glibc ${glibc}` : musl !== undefined ? `, musl ${musl}` : '';
    return new EmballageError('REQUIREMENTS_IMPOSSIBLE', {
      doing: `settling what ${this.#request.name} needs for ${arch}, Python ${python}${libc}`,
      expected: 'versions that fit together',
      found: `${count(details.length, 'fact')} that exclude each other`,
      mend: 'loosen one of the requirements, or add a source that has what is missing',
      details,
    });
  }
}

function whyPassedOver(name: string, { version: { text }, yanked, isLastResort }: Candidate): string {
  if (isLastResort === true)
    return `${text} would fit, but has no wheel; pin \`${name}==${text}\` to have it built from its source`;
  return yanked !== undefined
    ? `${text} would fit but was yanked by its makers; pin \`${name}==${text}\` to use it all the same`
    : `only pre-releases such as ${text} would fit; ask for \`${name}>=${text}\` to allow them`;
}

function splitId(id: string): { name: string; extra?: string } {
  const [, name = id, extra] = /^([^[]+)(?:\[(.+)\])?$/.exec(id) ?? [];
  return extra === undefined ? { name } : { name, extra };
}
