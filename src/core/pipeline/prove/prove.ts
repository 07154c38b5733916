/** Proves that artifacts are reproducible: builds them again in changed surroundings, and finds what makes bytes differ. */
import { join } from 'node:path';
import { severalAtOnce } from '../../base/several';
import { fileDigest } from '../../disk/digest';
import { treeDigest } from '../../disk/tree-digest';
import { artifactPath, targetsOf, waybillPath, type Target } from '../../project/targets';
import type { FunctionSpec } from '../../sheet';
import { placeOf, type Place } from './place';
import { fewest, halves } from './plan';
import type { Variation } from './variations';

/** A project that was built somewhere. */
export interface Rebuilt {
  /** Absolute path of the folder in which its output folder lies now. */
  readonly root: string;
  /** Absolute path of the project that it was built in. */
  readonly builtIn: string;
  /** Removes it. */
  discard(): void;
}

/**
 * Builds the functions again from nothing, with these variations on.
 * @param place builds in the same place have the same folder, one after the other; one of its own where it is not named
 */
export type Rebuild = (on: readonly Variation[], place?: string) => Promise<Rebuilt>;

/** What makes bytes differ: variations that are on, or what is there without any. */
export type Culprit =
  | { readonly kind: 'variations'; readonly on: readonly Variation[] }
  /** Two builds in like surroundings differ: something random, or the clock. */
  | { readonly kind: 'itself' }
  /** Any other folder. */
  | { readonly kind: 'folder' }
  /** What lies in the output folder is not what building anew gives, wherever. */
  | { readonly kind: 'stale' };

export interface Finding {
  readonly name: string;
  readonly arch: string;
  readonly file: 'artifact' | 'waybill';
  readonly culprit: Culprit;
  readonly place: Place;
}

/** One build, and which files differ in it. */
export interface ProofBuild {
  readonly on: readonly Variation[];
  readonly ms: number;
  readonly digests: readonly TargetDigests[];
  readonly differs: readonly Differing[];
}

export interface TargetDigests {
  readonly name: string;
  readonly arch: string;
  readonly artifact: string;
  readonly waybill: string;
}

type Differing = Pick<Finding, 'name' | 'arch' | 'file'>;

export interface Proof {
  readonly way: 'alone' | 'halves';
  readonly base: readonly TargetDigests[];
  readonly builds: readonly ProofBuild[];
  readonly findings: readonly Finding[];
}

export interface ProofRequest {
  /** Absolute path of the project, its artifacts up to date. */
  readonly root: string;
  readonly functions: readonly FunctionSpec[];
  readonly variations: readonly Variation[];
  readonly rebuild: Rebuild;
  /** Builds at once. */
  readonly jobs: number;
  /** Each variation alone, however long it takes. */
  readonly isEach: boolean;
  /** Milliseconds, from any beginning. */
  readonly clock: () => number;
  /** Waits so many milliseconds. */
  readonly pause: (ms: number) => Promise<void>;
  /** Told after each build of the plan. */
  readonly onBuild: (build: ProofBuild) => void;
  /** Told before looking for what makes bytes differ. */
  readonly onSearch: () => void;
}

/** Longer than the coarsest clock of a format goes from one tick to the next: zip archives count in twos of seconds. */
const TICK_MS = 2_100;

/** Each variation gets a build alone where all of that takes no longer than so. */
const ALONE_MS = 5_000;

/**
 * Builds functions again in changed surroundings, and finds what made bytes differ.
 * @throws EmballageError where a build fails
 */
export async function prove(request: ProofRequest): Promise<Proof> {
  const { root, functions, clock } = request;
  const targets = targetsOf(functions);
  const base = digestsIn(root, targets);
  const builds: ProofBuild[] = [];
  const run = async (on: readonly Variation[]): Promise<ProofBuild> => {
    const began = clock();
    const rebuilt = await request.rebuild(on);
    const digests = digestsIn(rebuilt.root, targets);
    rebuilt.discard();
    const done = { on, ms: clock() - began, digests, differs: differing(base, digests) };
    builds.push(done);
    request.onBuild(done);
    return done;
  };
  const way = await runPlan(request, run);
  const wrong = unique(builds.flatMap(({ differs }) => differs));
  if (wrong.length === 0) return { way, base, builds, findings: [] };
  request.onSearch();
  const findings: Finding[] = [];
  const search = new Search({ ...request, targets, builds });
  for (const one of wrong) findings.push(...(await search.find(one)));
  search.close();
  return { way, base, builds, findings };
}

/** Everything at once, and beside it the rest: how long the first of that takes decides in which way it is done. */
async function runPlan(
  { variations, jobs, isEach }: ProofRequest,
  run: (on: readonly Variation[]) => Promise<ProofBuild>,
): Promise<Proof['way']> {
  const alone = variations.map((one) => [one]);
  const half = halves(variations);
  const [first = variations] = isEach ? alone : half;
  const whole = run(variations);
  // What it says is told where it is waited for.
  whole.catch(() => undefined);
  if (jobs < 2) await whole;
  const { ms } = variations.length > 1 ? await run(first) : await whole;
  const way = isEach || (ms * variations.length) / jobs <= ALONE_MS ? 'alone' : 'halves';
  const plan = way === 'alone' ? alone : half;
  const rest = plan.filter((on) => on !== first && on.length < variations.length);
  await severalAtOnce([undefined, ...rest], jobs, (on) => (on === undefined ? whole : run(on)));
  return way;
}

function digestsIn(root: string, targets: readonly Target[]): TargetDigests[] {
  return targets.map((target) => ({
    name: target.spec.name,
    arch: target.arch,
    artifact: treeDigest(join(root, artifactPath(target))),
    waybill: fileDigest(join(root, waybillPath(target))),
  }));
}

/** Of a target whose artifacts differ, the waybills do as well; only the artifact is told. */
function differing(a: readonly TargetDigests[], b: readonly TargetDigests[]): Differing[] {
  return a.flatMap((one, i): Differing[] => {
    const { name, arch } = one;
    const other = b[i];
    if (one.artifact !== other?.artifact) return [{ name, arch, file: 'artifact' }];
    return one.waybill === other.waybill ? [] : [{ name, arch, file: 'waybill' }];
  });
}

function unique(all: readonly Differing[]): Differing[] {
  const sorted = [...all].sort((a, b) => a.file.localeCompare(b.file, 'en'));
  return [...new Map(sorted.reverse().map((one) => [`${one.name} ${one.arch}`, one])).values()].reverse();
}

interface SearchRequest extends ProofRequest {
  readonly targets: readonly Target[];
  readonly builds: readonly ProofBuild[];
}

/** Looks for what makes bytes differ. Builds are made once for all that is asked of them. */
class Search {
  readonly #request: SearchRequest;
  readonly #made = new Map<string, Promise<Rebuilt>>();
  #paused: Promise<void> | undefined;

  constructor(request: SearchRequest) {
    this.#request = request;
  }

  close(): void {
    for (const made of this.#made.values())
      void made.then(
        (rebuilt) => rebuilt.discard(),
        () => undefined,
      );
  }

  async find(one: Differing): Promise<Finding[]> {
    const plain = await this.#plainCulprit(one);
    if (plain !== undefined) return [plain];
    const differed = this.#request.builds.filter(({ differs }) => has(differs, one)).map(({ on }) => on);
    const alone = differed.filter((on) => on.length === 1);
    // Where none does it alone, the smallest of those builds tells.
    const [smallest = this.#request.variations] = [...differed].sort((a, b) => a.length - b.length);
    const culprits = alone.length > 0 ? alone : [await fewest(smallest, (on) => this.#differs(on, one))];
    const findings: Finding[] = [];
    for (const on of culprits) findings.push(await this.#finding(one, on));
    return findings;
  }

  /** Whether it differs with nothing on: by itself, in any other folder, or because the output is not what is built anew. */
  async #plainCulprit(one: Differing): Promise<Finding | undefined> {
    const [first, second] = [await this.#built([], 'here'), await this.#built([], 'there')];
    const [a, b] = [this.#digestIn(first.root, one), this.#digestIn(second.root, one)];
    const own = this.#digestIn(this.#request.root, one);
    if (a === own && b === own) return undefined;
    if (a === b) await this.#letTimePass();
    const again = await this.#built([], 'here', 'again');
    const kind = this.#digestIn(again.root, one) !== a ? 'itself' : a === b ? 'stale' : 'folder';
    return { ...one, culprit: { kind }, place: await this.#place(one, a === own ? second : first) };
  }

  /** What holds a time to the second may come out the same twice. */
  #letTimePass(): Promise<void> {
    return (this.#paused ??= this.#request.pause(TICK_MS));
  }

  async #differs(on: readonly Variation[], one: Differing): Promise<boolean> {
    const { root } = await this.#built(on);
    return this.#digestIn(root, one) !== this.#digestIn(this.#request.root, one);
  }

  async #finding(one: Differing, on: readonly Variation[]): Promise<Finding> {
    return { ...one, culprit: { kind: 'variations', on }, place: await this.#place(one, await this.#built(on)) };
  }

  #built(on: readonly Variation[], place?: string, time = ''): Promise<Rebuilt> {
    const key = `${on.map(({ id }) => id).join(' ')} ${place ?? ''} ${time}`;
    const known = this.#made.get(key) ?? this.#request.rebuild(on, place);
    this.#made.set(key, known);
    return known;
  }

  #digestIn(root: string, one: Differing): string {
    return treeDigest(join(root, this.#pathOf(one)));
  }

  #place(one: Differing, { root: other, builtIn }: Rebuilt): Promise<Place> {
    const path = this.#pathOf(one);
    const { root } = this.#request;
    return placeOf({ path: join(root, path), builtIn: root }, { path: join(other, path), builtIn }, path);
  }

  #pathOf({ name, arch, file }: Differing): string {
    const target = this.#target(name, arch);
    return file === 'artifact' ? artifactPath(target) : waybillPath(target);
  }

  #target(name: string, arch: string): Target {
    const target = this.#request.targets.find((one) => one.spec.name === name && one.arch === arch);
    if (target === undefined) throw new Error(`no target ${name} ${arch}`);
    return target;
  }
}

function has(differs: readonly Differing[], { name, arch, file }: Differing): boolean {
  return differs.some((one) => one.name === name && one.arch === arch && one.file === file);
}
