/** `exports` and `imports` of a package.json (Node.js documentation, "Modules: Packages", "Resolution Algorithm"). */

export type TargetResult =
  /** Relative to the package, `./lib/a.js`; for `imports` perhaps another package. */
  | { readonly kind: 'target'; readonly target: string }
  /** Excluded on purpose: null. */
  | { readonly kind: 'closed' }
  | { readonly kind: 'none' };

type Conditions = ReadonlySet<string>;

interface Surroundings {
  readonly conditions: Conditions;
  /** Whether a target may be another package, as in `imports`. */
  readonly allowsPackages: boolean;
}

const NONE: TargetResult = { kind: 'none' };
const MAX_DEPTH = 64;

/** @param subpath `.` or `./a/b` */
export function resolveExports(exports: unknown, subpath: string, conditions: Conditions): TargetResult {
  const isSugar = typeof exports !== 'object' || exports === null || Array.isArray(exports) || !hasPaths(exports);
  if (isSugar) return subpath === '.' ? targetOf(exports, '', { conditions, allowsPackages: false }) : NONE;
  return matchKeys(exports as Record<string, unknown>, subpath, { conditions, allowsPackages: false });
}

/** @param specifier `#a/b` */
export function resolveImports(imports: unknown, specifier: string, conditions: Conditions): TargetResult {
  if (typeof imports !== 'object' || imports === null) return NONE;
  return matchKeys(imports as Record<string, unknown>, specifier, { conditions, allowsPackages: true });
}

/** Whether its keys are paths; otherwise they are conditions. */
function hasPaths(exports: object): boolean {
  return Object.keys(exports).some((key) => key.startsWith('.'));
}

/** PACKAGE_IMPORTS_EXPORTS_RESOLVE: an exact key, or else the most specific pattern. */
function matchKeys(map: Record<string, unknown>, wanted: string, conditions: Surroundings): TargetResult {
  if (Object.hasOwn(map, wanted) && !wanted.includes('*') && !wanted.endsWith('/'))
    return targetOf(map[wanted], '', conditions);
  let best: { key: string; part: string } | undefined;
  for (const key of Object.keys(map)) {
    const star = key.indexOf('*');
    if (star < 0 || key.includes('*', star + 1)) continue;
    const [before, after] = [key.slice(0, star), key.slice(star + 1)];
    if (!wanted.startsWith(before) || wanted === before || !wanted.endsWith(after) || wanted.length < key.length)
      continue;
    if (best === undefined || isMoreSpecific(key, best.key))
      best = { key, part: wanted.slice(before.length, wanted.length - after.length) };
  }
  return best === undefined ? NONE : targetOf(map[best.key], best.part, conditions);
}

/** PATTERN_KEY_COMPARE. */
function isMoreSpecific(a: string, b: string): boolean {
  const [lengthA, lengthB] = [a.indexOf('*') + 1, b.indexOf('*') + 1];
  return lengthA === lengthB ? a.length > b.length : lengthA > lengthB;
}

/** PACKAGE_TARGET_RESOLVE. */
function targetOf(
  target: unknown,
  part: string,
  { conditions, allowsPackages }: Surroundings,
  depth = 0,
): TargetResult {
  if (depth > MAX_DEPTH) return NONE;
  if (typeof target === 'string') return textTarget(target, part, allowsPackages);
  if (target === null) return { kind: 'closed' };
  if (Array.isArray(target)) {
    const found = (target as unknown[]).map((one) => targetOf(one, part, { conditions, allowsPackages }, depth + 1));
    return found.find(({ kind }) => kind === 'target') ?? found.at(-1) ?? NONE;
  }
  if (typeof target !== 'object') return NONE;
  for (const [condition, value] of Object.entries(target)) {
    if (condition !== 'default' && !conditions.has(condition)) continue;
    const found = targetOf(value, part, { conditions, allowsPackages }, depth + 1);
    if (found.kind !== 'none') return found;
  }
  return NONE;
}

/** Of `exports` only what lies in the package itself counts. */
function textTarget(target: string, part: string, allowsPackages: boolean): TargetResult {
  if (!allowsPackages && !target.startsWith('./')) return NONE;
  return { kind: 'target', target: target.replaceAll('*', () => part) };
}
