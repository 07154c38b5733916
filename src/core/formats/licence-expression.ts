/** Licence expressions (SPDX 2.3, annex D): what publishers write, made into one, and held against what a team allows. */
import correct from 'spdx-correct';
import parse, { type Info } from 'spdx-expression-parse';

/** Words of publishers that a general correction takes for something else, or for more than they say. */
const WORDS: readonly (readonly [RegExp, string | undefined])[] = [
  // Not for others: what reads almost like it is a licence that gives all away.
  [/^unlicensed$|^proprietary$|^all rights reserved\.?$|^commercial$/i, undefined],
  // Which of them is not said.
  [
    /^(?:the )?bsd(?: licen[cs]e)?$|^bsd-like$|^(?:l|a)?gpl$|^gnu$|^dual licen[cs]e$|^other(?:\/proprietary)?/i,
    undefined,
  ],
  [/apache\.org\/licenses\/LICENSE-2\.0|^apache software licen[cs]e$|^(?:the )?apache(?: licen[cs]e)?$/i, 'Apache-2.0'],
  [/opensource\.org\/licen[cs]es?\/mit|^mit licen[cs]e \(mit\)$|^the mit licen[cs]e$/i, 'MIT'],
  [
    /opensource\.org\/licen[cs]es?\/bsd-3-clause|^(?:new|modified|revised) bsd|^bsd[- ]3[- ]clause|^3-clause bsd/i,
    'BSD-3-Clause',
  ],
  [/opensource\.org\/licen[cs]es?\/bsd-2-clause|^simplified bsd|^bsd[- ]2[- ]clause|^2-clause bsd/i, 'BSD-2-Clause'],
  [
    /eclipse\.org\/legal\/epl-2\.0|eclipse\.org\/legal\/epl-v20|^eclipse public licen[cs]e(?: -)? v(?:ersion)? ?2\.0/i,
    'EPL-2.0',
  ],
  [/eclipse\.org\/legal\/epl-v10|^eclipse public licen[cs]e(?: -)? v(?:ersion)? ?1\.0/i, 'EPL-1.0'],
  [/^mozilla public licen[cs]e 2\.0|mozilla\.org\/(?:en-US\/)?MPL\/2\.0/i, 'MPL-2.0'],
  [/^python software foundation licen[cs]e$|^psf$|^psfl$/i, 'PSF-2.0'],
  [/^isc licen[cs]e(?: \(iscl\))?$/i, 'ISC'],
  [/^the unlicense(?: \(unlicense\))?$/i, 'Unlicense'],
  [/^public domain$/i, 'LicenseRef-public-domain'],
  [/lesser general public licen[cs]e v3 or later/i, 'LGPL-3.0-or-later'],
  [/lesser general public licen[cs]e v3/i, 'LGPL-3.0-only'],
  [/lesser general public licen[cs]e v2 or later/i, 'LGPL-2.0-or-later'],
  [/affero general public licen[cs]e v3 or later/i, 'AGPL-3.0-or-later'],
  [/affero general public licen[cs]e v3/i, 'AGPL-3.0-only'],
  [/general public licen[cs]e v2 or later/i, 'GPL-2.0-or-later'],
  [/general public licen[cs]e v3 or later/i, 'GPL-3.0-or-later'],
  [/general public licen[cs]e v2/i, 'GPL-2.0-only'],
  [/general public licen[cs]e v3/i, 'GPL-3.0-only'],
];

/** Longer texts are no expression, but a licence. */
const LONGEST_EXPRESSION = 400;

/** @returns the expression that a publisher means; undefined where that is not certain */
export function readExpression(written: string): string | undefined {
  const text = written.trim();
  if (text === '' || text.length > LONGEST_EXPRESSION) return undefined;
  const whole = parsed(text);
  if (whole !== undefined) return formatExpression(whole);
  const known = WORDS.find(([pattern]) => pattern.test(text));
  if (known !== undefined) return known[1];
  // Older packages write several with a stroke, which means that one may choose.
  const parts = text.split(/\s*\/\s*|\s+or\s+|\s*;\s*|\s*,(?!\s*version)\s*/i);
  if (parts.length > 1 && !text.includes('://')) {
    const each = parts.map((one) => readExpression(one));
    return each.some((one) => one === undefined) ? undefined : either(each.filter((one) => one !== undefined));
  }
  return corrected(text);
}

/** The library looks words up in plain objects, and fails over those that every object has. */
function corrected(text: string): string | undefined {
  try {
    return correct(text, { upgrade: true }) ?? undefined;
  } catch {
    return undefined;
  }
}

/** One of several: whoever receives it may choose. */
export function either(expressions: readonly string[]): string {
  const different = [...new Set(expressions)].sort();
  return different.map((one) => (different.length > 1 && / (?:AND|OR) /.test(one) ? `(${one})` : one)).join(' OR ');
}

/** All of them at once. */
export function together(expressions: readonly string[]): string {
  const different = [...new Set(expressions)].sort();
  return different.map((one) => (different.length > 1 && one.includes(' OR ') ? `(${one})` : one)).join(' AND ');
}

function parsed(text: string): Info | undefined {
  try {
    return parse(text);
  } catch {
    return undefined;
  }
}

function formatExpression(info: Info): string {
  if ('license' in info) {
    const { license, plus, exception } = info as { license: string; plus?: true; exception?: string };
    return `${license}${plus === true ? '+' : ''}${exception === undefined ? '' : ` WITH ${exception}`}`;
  }
  const side = (one: Info): string =>
    'conjunction' in one && one.conjunction !== info.conjunction ? `(${formatExpression(one)})` : formatExpression(one);
  return `${side(info.left)} ${info.conjunction.toUpperCase()} ${side(info.right)}`;
}

/** What is allowed: identifiers, and expressions with an exception. */
interface Allowed {
  /** Only these; all where it says none. */
  readonly allow?: readonly string[];
  readonly deny: readonly string[];
}

/**
 * Why an expression is not allowed: the identifiers that stand in the way; none where it is allowed. Of what may be chosen,
 * one that is allowed is enough; of what holds together, all have to be.
 */
export function refused(expression: string, policy: Allowed): readonly string[] {
  const info = parsed(expression);
  if (info === undefined) return [expression];
  return refusedIn(info, policy);
}

function refusedIn(info: Info, policy: Allowed): readonly string[] {
  if ('license' in info) {
    const written = formatExpression(info);
    const { allow, deny } = policy;
    const names = namesOf(info);
    if (deny.some((one) => names.includes(one))) return [written];
    return allow === undefined || allow.some((one) => names.includes(one)) ? [] : [written];
  }
  const [left, right] = [refusedIn(info.left, policy), refusedIn(info.right, policy)];
  if (info.conjunction === 'or') return left.length === 0 || right.length === 0 ? [] : [...left, ...right];
  return [...new Set([...left, ...right])];
}

/** The names by which a team may mean it. An exception only adds to what may be done: what allows the licence allows it. */
function namesOf(info: Info & { license: string }): string[] {
  const { license, plus, exception } = info as { license: string; plus?: true; exception?: string };
  const plain = `${license}${plus === true ? '+' : ''}`;
  // `GPL-2.0+` and `GPL-2.0` are older names of `-or-later` and `-only`.
  const base = license.replace(/-(?:only|or-later)$/, '');
  const isLater = plus === true || license.endsWith('-or-later');
  const same = /^(?:A|L)?GPL-|^GFDL-/.test(license)
    ? [isLater ? `${base}-or-later` : `${base}-only`, isLater ? `${base}+` : base]
    : [];
  const names = [...new Set([plain, ...same])];
  return exception === undefined ? names : names.flatMap((one) => [`${one} WITH ${exception}`, one]);
}

/** Whether somebody wrote an expression as it is to be, for what stands in a sheet. */
export function isExpression(text: string): boolean {
  return parsed(text) !== undefined;
}

/** Licences that ask for nothing to travel with what they are about. */
const WITHOUT_TEXT = new Set([
  '0BSD',
  'CC0-1.0',
  'MIT-0',
  'Unlicense',
  'WTFPL',
  'BSL-1.0',
  'BlueOak-1.0.0',
  'LicenseRef-public-domain',
]);

/** Whether copies have to be accompanied by the text, whatever one chooses of it. */
export function asksForText(expression: string): boolean {
  const info = parsed(expression);
  return info !== undefined && asks(info);
}

function asks(info: Info): boolean {
  if ('license' in info) return !WITHOUT_TEXT.has(info.license);
  return info.conjunction === 'or' ? asks(info.left) && asks(info.right) : asks(info.left) || asks(info.right);
}
