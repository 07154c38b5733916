/**
 * Settles versions: the lowest that is allowed, by whoever is nearest to the function; among those equally near, the
 * lowest that all of them allow ("How NuGet resolves package dependencies").
 */
import { EmballageError } from '../../../base/errors';
import { listed, printable } from '../../../base/text';
import type { LockedClash } from '../../../project/lock/locked-clash';
import { isPackageName } from './nuspec';
import { asksForEarly, compareVersions, isIn, parseRange, type PackageVersion, type VersionRange } from './version';

export interface Wish {
  readonly name: string;
  readonly range: string;
}

/** Where versions and what they ask for come from. */
export interface PackageSource {
  versions(name: string): Promise<readonly PackageVersion[]>;
  wishesOf(name: string, version: PackageVersion): Promise<readonly Wish[]>;
}

export interface ResolvedPackage {
  readonly name: string;
  readonly version: PackageVersion;
  /** Everybody who asks for it, and as which versions. */
  readonly asked: readonly { readonly by: string; readonly as: string }[];
  /** Whether the function itself asks. */
  readonly isDirect: boolean;
}

export interface Resolution {
  readonly packages: readonly ResolvedPackage[];
  readonly clashes: readonly LockedClash[];
}

interface Request {
  readonly name: string;
  readonly range: VersionRange;
  /** From the function to who asks. */
  readonly chain: readonly string[];
}

const MOST_ROUNDS = 200;
const MOST_PACKAGES = 5000;

/** @param own name of the function @throws EmballageError REQUIREMENTS_IMPOSSIBLE, REQUIREMENTS_INVALID */
export async function resolvePackages(
  own: string,
  direct: readonly Wish[],
  source: PackageSource,
): Promise<Resolution> {
  const chosen = new Map<string, PackageVersion>();
  for (let round = 0; round < MOST_ROUNDS; round++) {
    const requests = await walk(own, direct, chosen, source);
    const changed = await choose(requests, chosen, source);
    if (!changed) return described(requests, chosen, own);
  }
  throw new EmballageError('REQUIREMENTS_IMPOSSIBLE', {
    doing: 'settling packages',
    expected: 'versions that agree',
    found: 'a choice that goes round in circles',
    mend: 'state the versions of what is shared under `needs`',
  });
}

/** Who asks for what under the present choice, the nearest first; what nobody has chosen yet asks for nothing. */
async function walk(
  own: string,
  direct: readonly Wish[],
  chosen: ReadonlyMap<string, PackageVersion>,
  source: PackageSource,
): Promise<Map<string, Request[]>> {
  const requests = new Map<string, Request[]>();
  const seen = new Set<string>();
  let level = direct.map((wish) => requestOf(wish, [own]));
  while (level.length > 0) {
    const next: Request[] = [];
    for (const request of level) {
      const key = request.name.toLowerCase();
      requests.set(key, [...(requests.get(key) ?? []), request]);
    }
    for (const { name, chain } of level) {
      const key = name.toLowerCase();
      const version = chosen.get(key);
      if (version === undefined || seen.has(key)) continue;
      seen.add(key);
      if (seen.size > MOST_PACKAGES) throw impossible(chain, `at most ${String(MOST_PACKAGES)} packages`, 'more');
      const wishes = await source.wishesOf(name, version);
      next.push(...wishes.map((wish) => requestOf(wish, [...chain, `${name} ${version.text}`])));
    }
    level = next;
  }
  return requests;
}

function requestOf({ name, range }: Wish, chain: readonly string[]): Request {
  if (!isPackageName(name)) throw impossible(chain, 'the name of a package', printable(name));
  const read = parseRange(range === '' ? '0.0.0' : range);
  if (read === 'floating')
    throw impossible(chain, `a version of ${name} that stays, such as \`1.2.0\``, `\`${printable(range)}\``);
  if (read === undefined) throw impossible(chain, `a version or a range of ${name}`, `\`${printable(range)}\``);
  return { name, range: read, chain };
}

/** Those who decide: the nearest to the function. */
function deciding(requests: readonly Request[]): Request[] {
  const least = Math.min(...requests.map(({ chain }) => chain.length));
  return requests.filter(({ chain }) => chain.length === least);
}

/** @returns whether anything changed; nearer packages are settled before those behind them */
async function choose(
  requests: ReadonlyMap<string, Request[]>,
  chosen: Map<string, PackageVersion>,
  source: PackageSource,
): Promise<boolean> {
  const before = new Map(chosen);
  for (const key of chosen.keys()) if (!requests.has(key)) chosen.delete(key);
  let isSettled = true;
  for (const [key, all] of requests) {
    const version = await lowest(deciding(all), source);
    if (before.get(key)?.text !== version.text) isSettled = false;
    chosen.set(key, version);
  }
  return !isSettled || before.size !== chosen.size;
}

async function lowest(requests: readonly Request[], source: PackageSource): Promise<PackageVersion> {
  const [first] = requests;
  if (first === undefined) throw new Error('nobody asks');
  const all = await source.versions(first.name);
  if (all.length === 0) throw impossible(first.chain, printable(first.name), 'no feed has a package of that name');
  const fits = all
    .filter((version) => requests.every(({ range }) => isIn(version, range)))
    .filter(({ labels }) => labels.length === 0 || requests.some(({ range }) => asksForEarly(range)))
    .sort(compareVersions);
  const [version] = fits;
  if (version !== undefined) return version;
  const newest = [...all].sort(compareVersions).slice(-5).reverse();
  const asked = requests.map(
    ({ range, chain }) => `\`${printable(range.text)}\` (${chain.map(printable).join(' → ')})`,
  );
  throw impossible(
    first.chain,
    `a version of ${printable(first.name)} for ${listed(asked)}`,
    `none of ${String(all.length)}; the newest are ${listed(newest.map(({ text }) => text))}`,
  );
}

function described(
  requests: ReadonlyMap<string, Request[]>,
  chosen: ReadonlyMap<string, PackageVersion>,
  own: string,
): Resolution {
  const packages: ResolvedPackage[] = [];
  const clashes: LockedClash[] = [];
  for (const [key, all] of requests) {
    const [first] = deciding(all);
    const version = chosen.get(key);
    if (first === undefined || version === undefined) continue;
    const asked = new Map(all.map(({ chain, range }) => [chain.at(-1) ?? own, range.text]));
    packages.push({
      name: first.name,
      version,
      isDirect: all.some(({ chain }) => chain.length === 1),
      asked: [...asked].map(([by, as]) => ({ by: by.replace(/ [^ ]+$/, ''), as: as === '0.0.0' ? 'any version' : as })),
    });
    for (const { range, chain } of all)
      if (!isIn(version, range))
        clashes.push({
          name: first.name,
          version: range.text,
          chain: [...chain],
          used: version.text,
          usedChain: [...first.chain],
        });
  }
  return { packages: packages.sort((a, b) => (a.name.toLowerCase() < b.name.toLowerCase() ? -1 : 1)), clashes };
}

function impossible(chain: readonly string[], expected: string, found: string): EmballageError {
  return new EmballageError('REQUIREMENTS_IMPOSSIBLE', {
    doing: 'settling packages',
    where: chain.map(printable).join(' → '),
    expected,
    found,
    mend: 'correct the name or the version, or add the feed that has it to `sources`',
  });
}
