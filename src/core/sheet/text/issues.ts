/** Turns what a schema found into problems with a place, what was expected, what was found and the nearest valid word. */
import { z } from 'zod';
import type { Problem } from '../../base/errors';
import { listed, nearestWord, printable } from '../../base/text';
import type { Known } from '../runtimes';
import { meantRuntime, meantWord } from './trade-words';
import type { DataPath, YamlFile } from './yaml';

/** Holds data against a schema; every mistake becomes a problem. */
export function validate<T extends z.ZodType>(
  schema: T,
  value: unknown,
  yaml: YamlFile,
  languages: Known,
  at: DataPath = [],
): { readonly value?: z.output<T>; readonly problems: Problem[] } {
  const result = schema.safeParse(value);
  if (result.success) return { value: result.data, problems: [] };
  const { issues } = result.error;
  // A key that is called otherwise is not missing as well.
  const meant = new Set(
    issues.flatMap((issue) => {
      if (issue.code !== 'unrecognized_keys') return [];
      const known = keysOf(schemaAt(schema, issue.path));
      return issue.keys.flatMap((key) => pathKey([...issue.path, meantWord(key, known, 'key') ?? '']));
    }),
  );
  const isMeant = ({ path }: z.core.$ZodIssue): boolean =>
    valueAt(value, path) === undefined && meant.has(pathKey(path));
  const open = issues.filter((issue) => !isMeant(issue));
  return { problems: open.flatMap((issue) => describe(issue, schema, value, { yaml, languages, at })) };
}

function pathKey(path: DataPath): string {
  return path.map(String).join('\0');
}

interface Where {
  readonly yaml: YamlFile;
  readonly languages: Known;
  readonly at: DataPath;
}

function describe(
  issue: z.core.$ZodIssue,
  schema: z.ZodType,
  root: unknown,
  { yaml, languages, at }: Where,
): Problem[] {
  const path = [...at, ...issue.path];
  if (issue.code === 'unrecognized_keys') {
    const known = keysOf(schemaAt(schema, issue.path));
    return issue.keys.map((key) => unknownWord(yaml, [...path, key], key, known, 'key'));
  }
  const value = valueAt(root, issue.path);
  if (issue.code === 'invalid_key') {
    const known = issue.issues.flatMap((inner) => (inner.code === 'invalid_value' ? inner.values.map(String) : []));
    return [unknownWord(yaml, path, String(issue.path.at(-1)), known, 'key')];
  }
  const words = issue.code === 'invalid_value' ? issue.values.map(String) : [];
  const near = typeof value === 'string' ? meantWord(value, words, 'value') : undefined;
  const missing = value === undefined;
  return [
    {
      place: yaml.placeOf(path, missing ? 'key' : 'value'),
      expected: missing ? `\`${printable(path.map(String).join('.'))}\`: ${expectation(issue)}` : expectation(issue),
      found: missing ? 'nothing' : show(value),
      mend:
        near !== undefined
          ? `write \`${near}\``
          : missing
            ? `add \`${printable(String(path.at(-1)))}\``
            : mendFor(value, issue, languages),
    },
  ];
}

/** So many are not all shown where one of them is probably meant. */
const MANY_WORDS = 12;

/** A problem with a word that is none of the known ones. */
export function unknownWord(
  yaml: YamlFile,
  path: DataPath,
  word: string,
  known: readonly string[],
  part: 'key' | 'value',
): Problem {
  const near = meantWord(word, known, part);
  return {
    place: yaml.placeOf(path, part),
    expected:
      known.length === 0
        ? 'no keys here'
        : near !== undefined && known.length > MANY_WORDS
          ? `\`${near}\`, or another word that is known here`
          : `one of ${listed(
              known.map((k) => `\`${k}\``),
              'or',
            )}`,
    found: `\`${printable(word)}\``,
    mend: near === undefined ? 'take it out or correct it' : `did you mean \`${near}\`?`,
  };
}

/** Our schemas carry the expectation as their message; Zod's own messages never reach a person. */
function expectation(issue: z.core.$ZodIssue): string {
  if (issue.code === 'invalid_union') return issue.message;
  return issue.message.replace(/^Invalid input: expected /, '');
}

function mendFor(value: unknown, issue: z.core.$ZodIssue, languages: Known): string {
  const expected = expectation(issue);
  const unit = expected.includes('size') ? 'MiB' : expected.includes('time') ? 's' : undefined;
  if (typeof value === 'number' && unit !== undefined) return `add the unit: \`${String(value)} ${unit}\`, say`;
  if (typeof value === 'number' && expected.includes('quotes')) return `put it in quotes: \`"${String(value)}"\``;
  const better = typeof value === 'string' ? rewritten(value, expected, languages) : undefined;
  return better === undefined ? 'write it as expected' : `write \`${printable(better)}\``;
}

/** Units as people write them elsewhere. */
const OTHER_UNITS: Readonly<Record<string, string>> = {
  kb: 'KiB',
  mb: 'MiB',
  gb: 'GiB',
  k: 'KiB',
  m: 'MiB',
  g: 'GiB',
  bytes: 'B',
  sec: 's',
  seconds: 's',
  minutes: 'min',
  hours: 'h',
};

/** An entry as it was probably meant: `alert.mjs:decide` with the sign of other tools. */
export function betterEntry(value: string): string | undefined {
  const [, file, member] = /^(.+\.(?:[cm]?[jt]s|py))[:.](\w+)$/.exec(value) ?? [];
  return file === undefined || member === undefined ? undefined : `${file}#${member}`;
}

/** What was probably meant. */
function rewritten(value: string, expected: string, languages: Known): string | undefined {
  if (expected.includes('runtime')) return meantRuntime(value, languages);
  const units = expected.includes('size') ? ['B', 'KiB', 'MiB', 'GiB'] : ['ms', 's', 'min', 'h'];
  return expected.includes('size') || expected.includes('time') ? withUnit(value, units) : undefined;
}

/** `128 MB` as `128 MiB`, `30s` as `30 s`. */
function withUnit(value: string, units: readonly string[]): string | undefined {
  const [, amount, unit] = /^([\d.]+)\s*([A-Za-z]+)$/.exec(value) ?? [];
  if (amount === undefined || unit === undefined) return undefined;
  const other = OTHER_UNITS[unit.toLowerCase()] ?? unit;
  const settled = units.find((one) => one.toLowerCase() === other.toLowerCase()) ?? nearestWord(unit, units);
  return settled === undefined ? undefined : `${amount} ${settled}`;
}

function show(value: unknown): string {
  if (value === null) return 'nothing';
  if (Array.isArray(value)) return 'a list';
  if (typeof value === 'object') return 'a mapping';
  const shown = printable(String(value));
  return `\`${shown.length > 80 ? `${shown.slice(0, 77)}…` : shown}\``;
}

function valueAt(root: unknown, path: DataPath): unknown {
  let value = root;
  for (const step of path) {
    if (typeof value !== 'object' || value === null) return undefined;
    value = (value as Record<PropertyKey, unknown>)[step];
  }
  return value;
}

/** The schema that stands at a path, through options, records, lists and unions. */
function schemaAt(schema: z.core.$ZodType | undefined, path: DataPath): z.core.$ZodType | undefined {
  const plain = schema instanceof z.ZodOptional ? schema.unwrap() : schema;
  const [step, ...rest] = path;
  if (plain === undefined || step === undefined) return plain;
  if (plain instanceof z.ZodObject) return schemaAt((plain.shape as Record<PropertyKey, z.core.$ZodType>)[step], rest);
  if (plain instanceof z.ZodRecord) return schemaAt(plain.valueType, rest);
  if (plain instanceof z.ZodArray) return schemaAt(plain.element, rest);
  return undefined;
}

function keysOf(schema: z.core.$ZodType | undefined): string[] {
  const plain = schema instanceof z.ZodOptional ? schema.unwrap() : schema;
  if (plain instanceof z.ZodRecord && plain.keyType instanceof z.ZodEnum) return plain.keyType.options.map(String);
  return plain instanceof z.ZodObject ? Object.keys(plain.shape) : [];
}

/** Whether a value is a mapping. */
export function isMapping(value: unknown): value is Record<string, unknown> {
  return typeof value === 'object' && value !== null && !Array.isArray(value);
}
