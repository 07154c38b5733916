/** Options as data: the parser, help, the manual and completion are all made from them. */

/** What a shell may propose for a value or a word. */
export type Proposed = 'functions' | 'destinations' | 'files' | 'folders' | 'rules';

export interface OptionSpec {
  readonly type?: 'string' | 'number' | 'boolean';
  readonly choices?: readonly string[];
  readonly default?: string | number | boolean;
  /** The default in words, where it is worked out. */
  readonly defaultDescription?: string;
  readonly requiresArg?: boolean;
  readonly describe: string;
  readonly alias?: string;
  /** What stands for the value in help: `FILE`. */
  readonly value?: string;
  readonly proposes?: Proposed;
}

export type Options = Readonly<Record<string, OptionSpec>>;

export const COMMON: Options = {
  sheet: {
    type: 'string',
    requiresArg: true,
    value: 'FILE',
    proposes: 'files',
    describe: 'the packing sheet; otherwise emballage.yaml in this folder or the nearest above it',
  },
  json: { type: 'boolean', default: false, describe: 'one JSON document on standard output' },
  quiet: { type: 'boolean', default: false, describe: 'only results' },
  verbose: { type: 'boolean', default: false, describe: 'more detail' },
  color: { type: 'boolean', describe: 'colours; --no-color for none', defaultDescription: 'on a terminal' },
  offline: { type: 'boolean', default: false, describe: 'use no network, only what was fetched' },
  jobs: { type: 'number', requiresArg: true, value: 'N', describe: 'threads to use; one a core otherwise' },
  help: { alias: 'h', type: 'boolean', describe: 'this text' },
};

/** What stands for the value of an option; undefined for one that takes none. */
export function valueOf({ type, choices, value }: OptionSpec): string | undefined {
  if (type === 'boolean') return undefined;
  return value ?? (choices === undefined ? (type === 'number' ? 'N' : 'TEXT') : choices.join('|'));
}

/** `--at DESTINATION`, `-h, --help`. */
export function optionText(name: string, option: OptionSpec): string {
  const short = option.alias === undefined ? '' : `-${option.alias}, `;
  const value = valueOf(option);
  const long = option.choices !== undefined && option.value === undefined && (value ?? '').length > 24 ? 'WORD' : value;
  return `${short}--${name}${long === undefined ? '' : option.requiresArg === true ? ` ${long}` : ` [${long}]`}`;
}
