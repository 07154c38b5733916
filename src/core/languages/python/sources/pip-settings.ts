/**
 * What pip on this machine would ask: its configuration files, least first (global, user, site, the one that
 * `PIP_CONFIG_FILE` names), then variables, as "pip documentation, Configuration" has it; where none says, pip itself.
 */
import { readTextNow } from '../../../disk/to-read';
import { readFileSync } from 'node:fs';
import { dirname, join, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';
import { EmballageError, systemCode } from '../../../base/errors';
import { nearestWord, printable } from '../../../base/text';
import { readAuthorities, shownPath, type ChosenSource, type Way } from '../../../sources';
import type { Machine } from '../../../toolchains/machine';
import { askProgram, NO_HOME, programsNamed } from '../../../toolchains/programs';
import { readConfig } from './config-file';

export interface PipSettings {
  readonly sources: readonly ChosenSource[];
  readonly way: Way;
  /** What is to be said of the settings. */
  readonly notes: readonly string[];
}

const COUNTING = [
  ...['index-url', 'extra-index-url', 'find-links', 'no-index', 'cert', 'proxy', 'trusted-host', 'client-cert'],
] as const;
type Key = (typeof COUNTING)[number];

interface Value {
  readonly value: string;
  readonly why: string;
}
type Values = Map<Key, Value>;

/** What a requirements file says of indexes, which counts more than any settings. */
export interface StatedIndex {
  readonly option: 'index-url' | 'extra-index-url' | 'no-index';
  /** The address; '' for `no-index`. */
  readonly at: string;
  /** File and line. */
  readonly by: string;
}

/**
 * The settings of pip.
 * @param root absolute path of the project, which relative paths start from
 * @param stated what requirements files say
 */
export async function pipSettings(
  machine: Machine,
  root: string,
  stated: readonly StatedIndex[] = [],
): Promise<PipSettings> {
  const notes: string[] = [];
  const values = readAll(machine, notes);
  for (const { option, at, by } of stated.filter((one) => one.option !== 'extra-index-url'))
    values.set(option, { value: option === 'no-index' ? 'true' : at, why: by });
  const found: (ChosenSource | string)[] = [];
  if (!/^(?:1|y|yes|t|true|on)$/i.test(values.get('no-index')?.value ?? '')) {
    const main = values.get('index-url') ?? (await ownDefault(machine));
    if (main !== undefined) found.push(indexAt(main));
    found.push(...words(values.get('extra-index-url')).map(indexAt));
    const extra = stated.filter((one) => one.option === 'extra-index-url');
    found.push(...extra.map(({ at, by }) => indexAt({ value: at, why: by })));
  }
  found.push(...words(values.get('find-links')).map((one) => linksAt(one, root)));
  const sources = found.filter((one) => typeof one !== 'string');
  notes.push(...found.filter((one) => typeof one === 'string'));
  for (const one of words(values.get('trusted-host')))
    notes.push(
      `certificates of ${printable(one.value)} are verified all the same (${one.why}); \`cert\` names authorities`,
    );
  if (values.has('client-cert')) notes.push('a certificate of the client is not presented (`client-cert`)');
  return { sources, way: wayOf(values, machine), notes };
}

/** How pip reaches hosts. */
export function pipWay(machine: Machine): Way {
  return wayOf(readAll(machine, []), machine);
}

function indexAt({ value, why }: Value): ChosenSource | string {
  if (/^https?:\/\//.test(value)) return { kind: 'index', at: value, why };
  return `\`${printable(value)}\` is no address of an index, and not asked (${why})`;
}

function linksAt({ value, why }: Value, root: string): ChosenSource | string {
  if (/^https?:/.test(value)) return { kind: 'links', at: value, why };
  const at = value.startsWith('file:') ? fileURLToPath(value) : resolve(root, value);
  try {
    readFileSync(at);
  } catch (error) {
    if (systemCode(error) === 'EISDIR') return { kind: 'folder', at, why };
  }
  return `${printable(at)} is no folder, and not looked into (${why})`;
}

function words(one: Value | undefined): Value[] {
  return (one?.value ?? '')
    .split(/\s+/)
    .filter((word) => word !== '')
    .map((value) => ({ value, why: one?.why ?? '' }));
}

/** The path of a file with certificates, and proxies. */
function wayOf(values: Values, { variable }: Machine): Way {
  const cert = values.get('cert') ?? named(variable, 'REQUESTS_CA_BUNDLE') ?? named(variable, 'CURL_CA_BUNDLE');
  const proxy = values.get('proxy')?.value;
  return {
    ...(cert !== undefined && { authorities: [readAuthorities(cert.value, cert.why)] }),
    ...(proxy !== undefined && { proxies: { http: proxy, https: proxy } }),
  };
}

function named(variable: Machine['variable'], name: string): Value | undefined {
  const value = variable(name);
  return value === undefined || value === '' ? undefined : { value, why: name };
}

function readAll(machine: Machine, notes: string[]): Values {
  const values: Values = new Map();
  // A section of the command counts more than `[global]`, in whichever file it stands.
  const common: Values = new Map();
  const own: Values = new Map();
  for (const path of configFiles(machine)) readFile(path, shownPath(path, machine.home), { common, own, notes });
  for (const [key, value] of [...common, ...own]) values.set(key, value);
  for (const key of COUNTING) {
    const found = named(machine.variable, `PIP_${key.toUpperCase().replaceAll('-', '_')}`);
    if (found !== undefined) values.set(key, found);
  }
  return values;
}

function readFile(path: string, shown: string, to: { common: Values; own: Values; notes: string[] }): void {
  let text: string;
  try {
    text = readTextNow(path);
  } catch {
    // Most of them are not there.
    return;
  }
  const { values, fault } = readConfig(text);
  if (fault !== undefined)
    throw new EmballageError('REQUIREMENTS_INVALID', {
      doing: 'reading pip’s settings',
      where: `${printable(shown)}:${String(fault.line)}:1`,
      expected: '`[section]` or `key = value`',
      found: `\`${printable(fault.found)}\``,
      mend: 'mend the line: pip itself refuses it too',
    });
  for (const { section, key, value, line } of values) {
    if (section !== 'global' && section !== 'install') continue;
    const known = COUNTING.find((one) => one === key);
    if (known !== undefined)
      (section === 'global' ? to.common : to.own).set(known, { value, why: `\`${key}\` in ${shown}` });
    else {
      // `index` is a key of old, for searching.
      const near = key === 'index' ? undefined : nearestWord(key, COUNTING);
      if (near !== undefined)
        to.notes.push(
          `${printable(shown)}:${String(line)}: \`${printable(key)}\` means nothing to pip; \`${near}\` may be meant`,
        );
    }
  }
}

/** The least first. */
function configFiles({ variable, home, searchPath }: Machine): string[] {
  const extra = variable('PIP_CONFIG_FILE');
  if (extra === '/dev/null') return [];
  const system = (variable('XDG_CONFIG_DIRS') ?? '/etc/xdg').split(':').filter((one) => one !== '');
  const config = variable('XDG_CONFIG_HOME');
  const user = [
    join(home, '.pip/pip.conf'),
    join(config?.startsWith('/') === true ? config : join(home, '.config'), 'pip/pip.conf'),
  ];
  return [
    ...system.map((folder) => join(folder, 'pip/pip.conf')),
    '/etc/pip.conf',
    ...(extra === undefined || extra === '' ? user : []),
    ...siteFolders(variable, searchPath).map((folder) => join(folder, 'pip.conf')),
    ...(extra === undefined || extra === '' ? [] : [extra]),
  ];
}

/** The environment that is active, or where the interpreter lies. */
function siteFolders(variable: Machine['variable'], searchPath: string): string[] {
  const active = variable('VIRTUAL_ENV');
  if (active !== undefined && active !== '') return [active];
  const [python] = programsNamed(/^python3$/, searchPath);
  return python === undefined ? [] : [dirname(dirname(python))];
}

/** What pip says in its help that it asks where nothing is configured. */
function ownDefault(machine: Machine): Promise<Value | undefined> {
  return machine.once('pip default', async () => {
    const env = {
      PATH: machine.searchPath,
      HOME: NO_HOME,
      PIP_CONFIG_FILE: '/dev/null',
      COLUMNS: '1000',
      LC_ALL: 'C.UTF-8',
    };
    for (const pip of programsNamed(/^pip3?$/, machine.searchPath)) {
      const help = await askProgram(pip, ['install', '--help'], env);
      const [, address] = /--index-url .*?\(default:?\s+(https?:\/\/[^\s)]+)\)/.exec(help ?? '') ?? [];
      if (address !== undefined) return { value: address, why: 'pip’s own default' };
    }
    return undefined;
  });
}
