/**
 * Settles which version of each artifact is used, as Maven does: the nearest to the function wins, of those equally near
 * the first that is stated; what is overridden is recorded with the chains of both.
 */
import { EmballageError } from '../../../base/errors';
import { printable } from '../../../base/text';
import type { Coordinates } from './pom';
import { managedKey, type Dependency, type EffectivePom, type Exclusion, type Managed } from './effective';
import { compareVersions, parseWish, type VersionWish } from './version';

export interface ResolveRequest {
  /** Who asks, for chains. */
  readonly name: string;
  /** What the function states itself, in order. */
  readonly direct: readonly Dependency[];
  /** What the function's own POM manages. */
  readonly managed: ReadonlyMap<string, Managed>;
  readonly load: (dependency: Dependency, chain: readonly string[]) => Promise<EffectivePom>;
  /** All versions that are there, for ranges. */
  readonly versionsOf: (group: string, artifact: string) => Promise<readonly string[]>;
}

export interface ResolvedArtifact {
  readonly group: string;
  readonly artifact: string;
  readonly version: string;
  readonly type: string;
  readonly classifier: string;
  /** Whoever leads to it, from the function on. */
  readonly chain: readonly string[];
  /** It is there where the function runs: only compiling needs it. */
  readonly isProvided: boolean;
}

export interface Overridden {
  /** `group:artifact`. */
  readonly name: string;
  readonly version: string;
  readonly chain: readonly string[];
  readonly used: string;
  readonly usedChain: readonly string[];
}

export interface Resolution {
  readonly artifacts: readonly ResolvedArtifact[];
  readonly overridden: readonly Overridden[];
}

/** Ranges that have been met, by what they are about. */
type Bounds = Map<string, { readonly wish: VersionWish & { kind: 'range' }; readonly chain: readonly string[] }[]>;

interface Node {
  readonly dependency: Dependency;
  readonly chain: readonly string[];
  readonly depth: number;
  readonly exclusions: readonly Exclusion[];
  /** Keys of those that it asks for. */
  readonly children: string[];
}

const MAX_ARTIFACTS = 20_000;
const MAX_ROUNDS = 200;

/** What tells artifacts apart that cannot both be used: the extension counts, not the type (`test-jar` is a jar). */
function conflictKey({ group, artifact, type, classifier }: Dependency): string {
  return [group, artifact, extensionOf(type), classifierOf(type, classifier)].join(':');
}

/** Ending of the file of a type of dependency: `test-jar` lies in a `jar`. */
export function extensionOf(type: string): string {
  return ['test-jar', 'maven-plugin', 'ejb', 'ejb-client', 'bundle', 'java-source', 'javadoc', ''].includes(type)
    ? 'jar'
    : type;
}

/** The classifier that a type implies where none is given: `tests` of `test-jar`. */
export function classifierOf(type: string, classifier: string): string {
  if (classifier !== '') return classifier;
  return type === 'test-jar' ? 'tests' : '';
}

/** @throws EmballageError REQUIREMENTS_IMPOSSIBLE */
export async function resolveArtifacts(request: ResolveRequest): Promise<Resolution> {
  // A range that is met after something was settled may take back what was settled.
  const bounds: Bounds = new Map();
  for (let round = 0; round < MAX_ROUNDS; round++) {
    const result = await new Round(request, bounds).run();
    if (result !== 'again') return result;
  }
  throw failed('versions that go round in circles', [], 'pin what is in a range to one version');
}

class Round {
  readonly #request: ResolveRequest;
  readonly #bounds: Bounds;
  readonly #nodes = new Map<string, Node>();
  readonly #overridden: Overridden[] = [];
  /** Keys of artifacts that have moved, and of what they are now. */
  readonly #moved = new Map<string, string>();
  #isStale = false;

  constructor(request: ResolveRequest, bounds: Bounds) {
    this.#request = request;
    this.#bounds = bounds;
  }

  async run(): Promise<Resolution | 'again'> {
    const { direct, name } = this.#request;
    let wave: Node[] = [];
    for (const dependency of direct) await this.#meet(dependency, { chain: [name], depth: 0, exclusions: [] }, wave);
    while (wave.length > 0 && !this.#isStale) {
      // The POMs of one level are asked for at once.
      const poms = await Promise.all(wave.map(({ dependency, chain }) => this.#request.load(dependency, chain)));
      const next: Node[] = [];
      for (const [i, node] of wave.entries()) await this.#expand(node, poms[i], next);
      wave = next;
      if (this.#nodes.size > MAX_ARTIFACTS)
        throw failed('more artifacts than can be meant', wave[0]?.chain ?? [], 'check what is asked for');
    }
    if (this.#isStale) return 'again';
    return { artifacts: this.#included(), overridden: this.#overridden };
  }

  async #expand(node: Node, pom: EffectivePom | undefined, wave: Node[]): Promise<void> {
    if (pom?.relocation !== undefined) await this.#moveOn(node, pom.relocation, wave);
    else for (const one of pom?.dependencies ?? []) await this.#follow(node, one, wave);
  }

  /** An artifact that has moved is taken from where it is now. */
  async #moveOn(node: Node, to: Coordinates, wave: Node[]): Promise<void> {
    const moved = { ...node.dependency, ...to };
    const [from, key] = [conflictKey(node.dependency), conflictKey(moved)];
    if (from === key && moved.version === node.dependency.version) return;
    if (this.#moved.has(key) || this.#moved.has(from))
      throw failed('artifacts that have moved round in a circle', node.chain, 'name where it is now');
    this.#nodes.delete(from);
    if (from !== key) this.#moved.set(from, key);
    await this.#meet(moved, { ...node, depth: node.depth - 1 }, wave);
  }

  async #follow(parent: Node, raw: Dependency, wave: Node[]): Promise<void> {
    if (raw.isOptional || !['compile', 'runtime'].includes(raw.scope)) return;
    if (parent.exclusions.some((one) => excludes(one, raw))) return;
    const rules = this.#request.managed.get(managedKey(raw));
    const scope = rules?.scope ?? raw.scope;
    if (!['compile', 'runtime'].includes(scope) || rules?.isOptional === true) return;
    const dependency = {
      ...raw,
      version: rules?.version ?? raw.version,
      exclusions: [...raw.exclusions, ...(rules?.exclusions ?? [])],
    };
    parent.children.push(conflictKey(dependency));
    await this.#meet(dependency, parent, wave);
  }

  async #meet(dependency: Dependency, by: Pick<Node, 'chain' | 'depth' | 'exclusions'>, wave: Node[]): Promise<void> {
    const key = conflictKey(dependency);
    const known = this.#nodes.get(key);
    const label = `${dependency.group}:${dependency.artifact}`;
    const wish = parseWish(dependency.version);
    if (wish === undefined)
      throw failed(
        `\`${printable(dependency.version)}\`, which is no version`,
        [...by.chain, label],
        'correct the version',
      );
    if (wish.kind === 'range') this.#bind(key, wish, by.chain, known?.dependency.version);
    if (this.#isStale) return;
    if (known !== undefined) {
      this.#note(known, wish.kind === 'range' ? wish.text : wish.version, by.chain, label);
      return;
    }
    const version = await this.#choose(key, wish, dependency, by.chain);
    const node: Node = {
      dependency: { ...dependency, version },
      chain: [...by.chain, `${label}:${version}`],
      depth: by.depth + 1,
      exclusions: [...by.exclusions, ...dependency.exclusions],
      children: [],
    };
    this.#nodes.set(key, node);
    // What only a tests or provided scope brings in takes part in the choice of versions, as with Maven.
    if (dependency.scope !== 'system') wave.push(node);
  }

  #bind(key: string, wish: VersionWish & { kind: 'range' }, chain: readonly string[], known: string | undefined): void {
    const bounds = this.#bounds.get(key) ?? [];
    if (!bounds.some((one) => one.wish.text === wish.text)) {
      bounds.push({ wish, chain });
      this.#bounds.set(key, bounds);
      if (known !== undefined && !wish.allows(known)) this.#isStale = true;
    }
  }

  async #choose(key: string, wish: VersionWish, dependency: Dependency, chain: readonly string[]): Promise<string> {
    const bounds = this.#bounds.get(key) ?? [];
    if (wish.kind === 'plain' && bounds.every((one) => one.wish.allows(wish.version)))
      return refuseMoving(wish.version, chain);
    const { group, artifact } = dependency;
    const versions = await this.#request.versionsOf(group, artifact);
    const fitting = versions.filter((version) => bounds.every((one) => one.wish.allows(version)));
    const [first, ...rest] = fitting.filter((one) => !/-SNAPSHOT$/i.test(one));
    if (first !== undefined) return rest.reduce((best, one) => (compareVersions(one, best) > 0 ? one : best), first);
    const asked = bounds.map((one) => `\`${one.wish.text}\` (${one.chain.join(' → ')})`).join(' and ');
    throw failed(
      `${String(versions.length)} versions of ${printable(`${group}:${artifact}`)}, none of them in ${asked}`,
      chain,
      'ask for a version that there is',
    );
  }

  #note(known: Node, wanted: string, chain: readonly string[], name: string): void {
    const used = known.dependency.version;
    if (wanted === used || /[[(]/.test(wanted)) return;
    const one = { name, version: wanted, chain: [...chain, `${name}:${wanted}`], used, usedChain: known.chain };
    const isKnown = this.#overridden.some((other) => other.name === name && other.version === wanted);
    if (!isKnown) this.#overridden.push(one);
  }

  /** What is needed when the function runs, and what is there only to compile it, in the order in which it was met. */
  #included(): ResolvedArtifact[] {
    const wanted = this.#reachable(['compile', 'runtime']);
    const provided = this.#reachable(['compile', 'runtime', 'provided']);
    return [...this.#nodes].flatMap(([key, { dependency, chain }]) => {
      if (!provided.has(key)) return [];
      const { group, artifact, version, type } = dependency;
      const classifier = classifierOf(type, dependency.classifier);
      const isProvided = !wanted.has(key);
      return [{ group, artifact, version, type: extensionOf(type), classifier, chain, isProvided }];
    });
  }

  #reachable(scopes: readonly string[]): Set<string> {
    const wanted = new Set<string>();
    const directScopes = new Map(this.#request.direct.map((one) => [conflictKey(one), one.scope]));
    const open = [...directScopes].filter(([, scope]) => scopes.includes(scope)).map(([key]) => key);
    for (let next = open.pop(); next !== undefined; next = open.pop()) {
      const key = this.#moved.get(next) ?? next;
      if (wanted.has(key)) continue;
      wanted.add(key);
      for (const child of this.#nodes.get(key)?.children ?? []) {
        // What is stated directly has the scope that is stated there.
        const own = directScopes.get(child);
        if (own === undefined || scopes.includes(own)) open.push(child);
      }
    }
    return wanted;
  }
}

function excludes({ group, artifact }: Exclusion, one: Dependency): boolean {
  return (group === '*' || group === one.group) && (artifact === '*' || artifact === one.artifact);
}

/** Versions that mean something else tomorrow. */
function refuseMoving(version: string, chain: readonly string[]): string {
  if (!/-SNAPSHOT$|^(?:LATEST|RELEASE)$/i.test(version)) return version;
  throw failed(`\`${printable(version)}\`, which is another file tomorrow`, chain, 'ask for a release');
}

function failed(found: string, chain: readonly string[], mend: string): EmballageError {
  return new EmballageError('REQUIREMENTS_IMPOSSIBLE', {
    doing: 'settling dependencies',
    where: chain.map(printable).join(' → '),
    expected: 'versions that fit together',
    found,
    mend,
  });
}
