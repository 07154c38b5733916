/** Help as people read it: wrapped to the width that there is, examples whole on a line of their own. */
import { optionText, type OptionSpec, type Options } from '../options';

const MOST = 100;
const LEAST = 40;
/** Columns of the left side, at most. */
const LEFT = 30;

export interface HelpOf {
  readonly program: string;
  readonly name: string;
  readonly usage: string;
  readonly about: string;
  readonly options: Options;
  readonly common: Options;
  readonly examples: readonly (readonly [args: string, does: string])[];
}

/** Columns to write in. @param columns of the terminal; undefined where there is none */
export function textWidth(columns: number | undefined): number {
  return Math.max(LEAST, Math.min(MOST, columns ?? MOST));
}

/** Text that flows: lines are joined, an empty line parts paragraphs. */
export function wrap(text: string, width: number, indent = ''): string {
  return text
    .split(/\n{2,}/)
    .map((paragraph) =>
      wrapParagraph(
        paragraph.split(/\s+/).filter((word) => word !== ''),
        width,
        indent,
      ),
    )
    .join('\n\n');
}

function wrapParagraph(words: readonly string[], width: number, indent: string): string {
  const lines: string[] = [];
  let line = '';
  for (const word of words) {
    if (line !== '' && indent.length + line.length + 1 + word.length > width) {
      lines.push(indent + line);
      line = word;
    } else line = line === '' ? word : `${line} ${word}`;
  }
  if (line !== '') lines.push(indent + line);
  return lines.join('\n');
}

/** The help of a command. @param width columns that it may take */
export function helpText({ program, name, usage, about, options, common, examples }: HelpOf, width: number): string {
  const own = rows(options);
  const left = Math.min(LEFT, Math.max(...[...own, ...rows(common)].map(([text]) => text.length)));
  const section = (title: string, all: readonly Row[]): string[] =>
    all.length === 0 ? [] : ['', title, ...all.map((row) => rowText(row, left, width))];
  const shown = examples.flatMap(([args, does]) => [
    wrap(does, width, '  '),
    `    ${`${program} ${name} ${args}`.trimEnd()}`,
  ]);
  return [
    `${program} ${usage}`,
    '',
    wrap(about, width),
    ...section('Options:', own),
    ...section('Options everywhere:', rows(common)),
    '',
    'Examples:',
    ...shown,
  ].join('\n');
}

type Row = readonly [text: string, about: string];

function rows(options: Options): Row[] {
  return Object.entries(options).map(([name, option]) => [optionText(name, option), aboutOption(option)]);
}

/** What it is for, with what it may be and what it is otherwise. */
export function aboutOption(option: OptionSpec): string {
  const { describe, choices, default: initial, defaultDescription } = option;
  const otherwise = defaultDescription ?? (initial === undefined || initial === false ? undefined : String(initial));
  return [
    describe,
    ...(choices === undefined || optionText('', option).includes(choices.join('|'))
      ? []
      : [`one of ${choices.join(', ')}`]),
    ...(otherwise === undefined ? [] : [`${otherwise} by default`]),
  ].join('; ');
}

/** Two columns; in narrow windows, and beside long words, what it is for comes below. */
function rowText([text, about]: Row, left: number, width: number): string {
  const indent = ' '.repeat(left + 4);
  if (width < 60) return `  ${text}\n${wrap(about, width, '      ')}`;
  const wrapped = wrap(about, width, indent);
  return text.length > left ? `  ${text}\n${wrapped}` : `  ${text.padEnd(left + 2)}${wrapped.slice(indent.length)}`;
}
