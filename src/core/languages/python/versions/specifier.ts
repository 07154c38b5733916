/** Version specifiers, `>=1.2,!=1.5.*` (PEP 440, "Version specifiers"). */
import {
  compareRelease,
  compareVersions,
  parseVersion,
  isPrerelease,
  publicVersion,
  sameBase,
  type Version,
} from './version';

type Operator = '~=' | '==' | '!=' | '<=' | '>=' | '<' | '>' | '===';

export interface Specifier {
  readonly operator: Operator;
  /** As written, without the wildcard. */
  readonly text: string;
  readonly wildcard: boolean;
  /** Undefined only for `===`, which compares texts. */
  readonly version: Version | undefined;
}

const CLAUSE = /^(~=|===|==|!=|<=|>=|<|>)\s*([^\s,;()]+)$/;

/** One clause, or undefined where it is none. */
export function parseSpecifier(text: string): Specifier | undefined {
  const [, operator, operand] = CLAUSE.exec(text.trim()) ?? [];
  if (operator === undefined || operand === undefined) return undefined;
  const op = operator as Operator;
  if (op === '===') return { operator: op, text: operand, wildcard: false, version: parseVersion(operand) };
  const wildcard = operand.endsWith('.*');
  const plain = wildcard ? operand.slice(0, -2) : operand;
  const version = parseVersion(plain);
  if (version === undefined) return undefined;
  return isAllowed(op, wildcard, version) ? { operator: op, text: plain, wildcard, version } : undefined;
}

/** Only equality knows wildcards and looks at local versions; `~=` needs a part to leave free. */
function isAllowed(operator: Operator, wildcard: boolean, { release, dev, local }: Version): boolean {
  const isEquality = operator === '==' || operator === '!=';
  if (wildcard && (!isEquality || dev !== undefined || local !== undefined)) return false;
  if (local !== undefined && !isEquality) return false;
  return operator !== '~=' || release.length >= 2;
}

/** Clauses separated by commas; the text of the first bad clause where there is one. */
export function parseSpecifiers(text: string): { readonly specifiers: readonly Specifier[]; readonly bad?: string } {
  const specifiers: Specifier[] = [];
  for (const clause of text.split(',')) {
    if (clause.trim() === '') continue;
    const specifier = parseSpecifier(clause);
    if (specifier === undefined) return { specifiers, bad: clause.trim() };
    specifiers.push(specifier);
  }
  return { specifiers };
}

/** Specifiers as they are written: `>=2,<3`. */
export function formatSpecifiers(specifiers: readonly Specifier[]): string {
  return specifiers.map(({ operator, text, wildcard }) => `${operator}${text}${wildcard ? '.*' : ''}`).join(',');
}

/** Whether a version fits every clause. Pre-releases fit like any other version; wanting them is decided elsewhere. */
export function fitsAll(specifiers: readonly Specifier[], version: Version): boolean {
  return specifiers.every((specifier) => fits(specifier, version));
}

/** Whether a clause names a pre-release, which says that pre-releases are wanted. */
export function mentionsPrerelease({ operator, version }: Specifier): boolean {
  return version !== undefined && operator !== '!=' && operator !== '<' && operator !== '>' && isPrerelease(version);
}

function fits(specifier: Specifier, candidate: Version): boolean {
  const { operator, version } = specifier;
  if (operator === '===') return candidate.text === (version?.text ?? specifier.text).toLowerCase();
  if (version === undefined) return false;
  switch (operator) {
    case '==':
      return equals(specifier, version, candidate);
    case '!=':
      return !equals(specifier, version, candidate);
    case '<=':
      return compareVersions(publicVersion(candidate), version) <= 0;
    case '>=':
      return compareVersions(publicVersion(candidate), version) >= 0;
    case '<':
      return isBelow(candidate, version);
    case '>':
      return isAbove(candidate, version);
    case '~=':
      return isCompatible(candidate, version);
  }
}

function equals({ wildcard }: Specifier, version: Version, candidate: Version): boolean {
  if (wildcard) return hasPrefix(candidate, version);
  return compareVersions(version.local === undefined ? publicVersion(candidate) : candidate, version) === 0;
}

/** `==1.2.*`: the release begins so, zeros filled in; a prefix such as `1.2rc1` compares what follows the release too. */
function hasPrefix(candidate: Version, prefix: Version): boolean {
  const length = prefix.release.length;
  const begins = Array.from({ length }, (_, i) => candidate.release[i] ?? 0);
  if (candidate.epoch !== prefix.epoch || !begins.every((n, i) => n === prefix.release[i])) return false;
  if (prefix.pre === undefined && prefix.post === undefined) return true;
  const rest = candidate.release.slice(length);
  if (rest.some((n) => n !== 0)) return false;
  const samePre = candidate.pre?.[0] === prefix.pre?.[0] && candidate.pre?.[1] === prefix.pre?.[1];
  return samePre && (prefix.post === undefined || candidate.post === prefix.post);
}

/** "Exclusive ordered comparison": pre-releases of the very version named are not below it. */
function isBelow(candidate: Version, version: Version): boolean {
  if (compareVersions(candidate, version) >= 0) return false;
  return !(!isPrerelease(version) && isPrerelease(candidate) && sameBase(candidate, version));
}

function isAbove(candidate: Version, version: Version): boolean {
  if (compareVersions(candidate, version) <= 0) return false;
  if (version.post === undefined && candidate.post !== undefined && sameBase(candidate, version)) return false;
  return !(candidate.local !== undefined && sameBase(candidate, version));
}

/** "Compatible release": `~=1.4.5` is `>=1.4.5,==1.4.*`. */
function isCompatible(candidate: Version, version: Version): boolean {
  const prefix = version.release.slice(0, -1);
  if (candidate.epoch !== version.epoch) return false;
  if (compareRelease(candidate.release.slice(0, prefix.length), prefix) !== 0) return false;
  return compareVersions(publicVersion(candidate), version) >= 0;
}
