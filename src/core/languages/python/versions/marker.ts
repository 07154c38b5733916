/** Environment markers, `python_version < "3.11" and extra == "tls"` (PEP 508, now dependency specifiers). */
import { parseSpecifier, fitsAll } from './specifier';
import { parseVersion } from './version';

export const MARKER_NAMES = [
  'os_name',
  'sys_platform',
  'platform_machine',
  'platform_python_implementation',
  'platform_release',
  'platform_system',
  'platform_version',
  'python_version',
  'python_full_version',
  'implementation_name',
  'implementation_version',
] as const;

/** What markers are evaluated against: the target, never this machine. */
export type MarkerEnvironment = Readonly<Record<(typeof MARKER_NAMES)[number], string>>;

export type MarkerOperator = '<' | '<=' | '!=' | '==' | '>=' | '>' | '~=' | '===' | 'in' | 'not in';

export type Operand =
  { readonly kind: 'name'; readonly name: string } | { readonly kind: 'text'; readonly text: string };

export type Marker =
  | { readonly kind: 'and'; readonly parts: readonly Marker[] }
  | { readonly kind: 'or'; readonly parts: readonly Marker[] }
  | { readonly kind: 'compare'; readonly left: Operand; readonly operator: MarkerOperator; readonly right: Operand };

/** Names that PEP 345 wrote with dots, or differently. */
export const OLD_NAMES: Readonly<Record<string, string>> = {
  'os.name': 'os_name',
  'sys.platform': 'sys_platform',
  'platform.version': 'platform_version',
  'platform.machine': 'platform_machine',
  'platform.python_implementation': 'platform_python_implementation',
  python_implementation: 'platform_python_implementation',
};

/** Names whose values are compared as versions. */
const VERSION_NAMES = new Set(['python_version', 'python_full_version', 'implementation_version']);

/** @param extras the extras that were asked for; `extra == "x"` holds for each of them */
export function holds(marker: Marker, environment: MarkerEnvironment, extras: readonly string[] = []): boolean {
  if (marker.kind === 'and') return marker.parts.every((part) => holds(part, environment, extras));
  if (marker.kind === 'or') return marker.parts.some((part) => holds(part, environment, extras));
  const { left, operator, right } = marker;
  if (isExtra(left) || isExtra(right)) {
    const [wanted] = [left, right].flatMap((side) => (side.kind === 'text' ? [normalizeName(side.text)] : []));
    const has = wanted !== undefined && extras.map(normalizeName).includes(wanted);
    return operator === '!=' || operator === 'not in' ? !has : has;
  }
  const name = left.kind === 'name' ? left.name : right.kind === 'name' ? right.name : '';
  return compare(valueOf(left, environment), operator, valueOf(right, environment), VERSION_NAMES.has(name));
}

/** Whether a marker asks for extras at all. */
export function asksForExtra(marker: Marker): boolean {
  if (marker.kind !== 'compare') return marker.parts.some(asksForExtra);
  return isExtra(marker.left) || isExtra(marker.right);
}

/** Package and extra names in normal form (PEP 503): `Foo_Bar.baz` is `foo-bar-baz`. */
export function normalizeName(name: string): string {
  return name.replace(/[-_.]+/g, '-').toLowerCase();
}

function isExtra(operand: Operand): boolean {
  return operand.kind === 'name' && (operand.name === 'extra' || operand.name === 'extras');
}

function valueOf(operand: Operand, environment: MarkerEnvironment): string {
  if (operand.kind === 'text') return operand.text;
  return environment[operand.name as keyof MarkerEnvironment];
}

function compare(left: string, operator: MarkerOperator, right: string, asVersions: boolean): boolean {
  if (operator === 'in') return right.includes(left);
  if (operator === 'not in') return !right.includes(left);
  if (asVersions) {
    const specifier = parseSpecifier(`${operator}${right}`);
    const version = parseVersion(left);
    if (specifier !== undefined && version !== undefined) return fitsAll([specifier], version);
  }
  switch (operator) {
    case '<':
      return left < right;
    case '<=':
      return left <= right;
    case '>':
      return left > right;
    case '>=':
      return left >= right;
    case '!=':
      return left !== right;
    case '==':
    case '===':
      return left === right;
    case '~=':
      return false;
  }
}
