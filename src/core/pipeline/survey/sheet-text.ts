/** A proposed sheet and destination as text, with a comment for each line that says why it is there. */
import { stringify } from 'yaml';
import { count, listed, printable } from '../../base/text';
import type { Calls } from '../../events';
import type { Arch, Destination } from '../../sheet';
import type { ProposedFunction, ProposedSetting } from './propose';

export interface SheetProposal {
  readonly project: string;
  /** Its name and its file, relative to the project; `is` where it is there already. */
  readonly destination: { readonly name: string; readonly path: string; readonly is?: Destination };
  readonly arch: Arch;
  readonly functions: readonly ProposedFunction[];
}

/** Alternatives that a comment names. */
const SHOWN = 3;

/** The text of a proposed packing sheet, with the reason of each line beside it. */
export function sheetText({ project, destination, arch, functions }: SheetProposal): string {
  const others = (destination.is?.archs ?? []).filter((one) => one !== arch);
  const archWhy = `this machine’s${others.length > 0 ? `; ${destination.name} has ${listed(others)} too` : ''}`;
  return [
    '# Proposed by a survey. Every line can be changed; docs/reference/sheet.md has them all.',
    `project: ${value(project)}`,
    '',
    'destinations:',
    `  ${destination.name}: ${value(destination.path)}`,
    '',
    'defaults:',
    `  destination: ${destination.name}`,
    withWhy(`  arch: [${arch}]`, archWhy),
    '',
    'functions:',
    functions.map((one) => functionText(one, '  ')).join('\n\n'),
    '',
  ].join('\n');
}

/** One function of a sheet. @param indent of its name */
export function functionText(one: ProposedFunction, indent: string): string {
  const inner = `${indent}  `;
  const { needs, events } = one;
  const lines = [
    ...one.lacking.map((text) => `${indent}# To do: ${printable(text)}.`),
    `${indent}${one.name}:`,
    `${inner}source: ${value(one.source === '' ? '.' : one.source)}`,
    withWhy(`${inner}runtime: ${one.runtime.value}`, one.runtime.why),
    withWhy(`${inner}entry: ${value(one.entries[0].entry)}`, entryWhy(one)),
    withWhy(`${inner}artifact: ${one.form.value}`, one.form.why),
    ...(one.entries[0].adapter === undefined
      ? []
      : [withWhy(`${inner}adapter: ${one.entries[0].adapter.value}`, one.entries[0].adapter.why)]),
    ...(needs === undefined
      ? []
      : needs.value === undefined
        ? [`${inner}# needs: ${printable(shortened(one.source, needs.why))}`]
        : [withWhy(`${inner}needs: ${value(needs.value)}`, needs.why)]),
    ...one.keys.map(({ key, value: written, why }) => withWhy(`${inner}${key}: ${value(written)}`, why)),
    ...settingLines(one, inner),
    ...(events === undefined
      ? []
      : [withWhy(`${inner}events: ${value(events.pattern)}`, count(events.count, 'event'))]),
  ];
  return lines.join('\n');
}

function entryWhy({ entries: [best, ...others] }: ProposedFunction): string {
  const rest = others.slice(0, SHOWN).map(({ entry, why }) => `${entry} (${why})`);
  return rest.length === 0 ? best.why : `${best.why}; or ${listed(rest, 'or')}`;
}

function settingLines({ source, settings, optional }: ProposedFunction, inner: string): string[] {
  const result = optional
    .slice(0, 8)
    .map(({ name, file, line }) => `${name} (${shortened(source, file)}:${String(line)})`);
  const more = optional.length > result.length ? `, and ${String(optional.length - result.length)} more` : '';
  const read = result.length === 0 ? [] : [`# read with a default: ${printable(result.join(', '))}${more}`];
  if (settings.length === 0) return read.map((line) => `${inner}${line}`);
  return [
    `${inner}settings:`,
    ...settings.map((one) => withWhy(`${inner}  ${one.name}: ${settingValue(one)}`, settingWhy(source, one))),
    ...read.map((line) => `${inner}  ${line}`),
  ];
}

function settingWhy(source: string, { at, sample, isSecret }: ProposedSetting): string {
  const hint = isSecret ? '; a secret, by its name' : sample === undefined ? '; fill in a value to try it with' : '';
  return `read in ${shortened(source, at)}${hint}`;
}

/** A path as seen from the source folder, where it lies in that. */
function shortened(source: string, path: string): string {
  return source !== '' && path.startsWith(`${source}/`) ? path.slice(source.length + 1) : path;
}

/** A setting has to have a value or be a secret; some value stands in until somebody fills one in. */
export function settingValue({ sample = '1', isSecret }: Pick<ProposedSetting, 'sample' | 'isSecret'>): string {
  return isSecret ? '{ secret: true }' : `{ sample: ${JSON.stringify(sample)} }`;
}

/** A value on one line, as YAML in our own spacing: `{ sample: "420" }`, `[a, b]`. */
function value(written: unknown): string {
  if (Array.isArray(written)) return `[${written.map(inList).join(', ')}]`;
  if (typeof written !== 'object' || written === null)
    return stringify(written, { collectionStyle: 'flow', lineWidth: 0 }).trimEnd();
  const pairs = Object.entries(written).map(([key, one]) => `${value(key)}: ${inList(one)}`);
  return pairs.length === 0 ? '{}' : `{ ${pairs.join(', ')} }`;
}

/** Signs that end a plain text in a list. */
function inList(written: unknown): string {
  return typeof written === 'string' && /[,[\]{}]/.test(written) ? JSON.stringify(written) : value(written);
}

function withWhy(line: string, why: string): string {
  return why === '' ? line : `${line}  # ${printable(why)}`;
}

/** The destination that has to be filled in: what this machine has stands in for what nobody said. */
export function destinationText({
  name,
  arch,
  functions,
  glibc,
  calls,
}: {
  readonly name: string;
  readonly arch: Arch;
  readonly functions: readonly ProposedFunction[];
  /** That of this machine; undefined where it has another C library. */
  readonly glibc: string | undefined;
  /** How it has to call what was found. */
  readonly calls: Calls;
}): string {
  const forms = [...new Set(functions.map(({ form }) => form.value))].sort();
  const offered = [
    ...new Set(functions.map(({ runtime, language }) => language.runtime.offeredAs ?? runtime.value)),
  ].sort();
  const other = arch === 'x86_64' ? 'arm64' : 'x86_64';
  const facts = glibc === undefined ? '{}' : `{ glibc: ${JSON.stringify(glibc)} }`;
  return [
    '# What the host takes. Fill in what it says of itself; docs/reference/destination.md has every key.',
    `destination: ${name}`,
    `arch: [${arch}]  # this machine’s; add ${other} where the host has it`,
    'accepts:',
    ...forms.map((form) => `  ${form}: {}  # the host’s limits go here, such as { packed: 64 MiB, unpacked: 320 MiB }`),
    'runtimes:',
    ...(glibc === undefined
      ? []
      : ['  # The C library of this machine stands here: fill in the host’s, which may be older.']),
    ...offered.map((one) => `  ${one}: ${facts}`),
    ...(['native', 'image'] as const)
      .filter((key) => calls[key] === 'http')
      .map((key) => `calls: { ${key}: http }  # a program listens on the port in PORT`),
    '# memory: { least: 96 MiB, most: 6 GiB }',
    '# timeout: { most: 20 min }',
    '',
  ].join('\n');
}
