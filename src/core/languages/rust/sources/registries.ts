/**
 * The registries that Cargo on this machine would ask: its configuration files from the function's folder upwards and in
 * the user's, with source replacement (The Cargo Book, "Configuration", "Source Replacement"); where they say nothing of
 * the usual registry, its address is read from Cargo's program.
 */
import { readTextNow } from '../../../disk/to-read';
import { readFileSync } from 'node:fs';
import { dirname, join, resolve } from 'node:path';
import { parse, TomlError } from 'smol-toml';
import { EmballageError } from '../../../base/errors';
import { ancestors } from '../../../base/paths';
import { printable } from '../../../base/text';
import { readAuthorities, sheetSources, shownPath, type ChosenSource, type Way } from '../../../sources';
import type { Credentials } from '../../../toolchains/credentials';
import type { Machine } from '../../../toolchains/machine';
import { programsWithNames } from '../../../toolchains/programs';
import { nobodyToAsk } from '../../compiled/compile/fetch-locked';
import type { SettleRequest, StatedNeeds } from '../../language';
import { rustOf } from '../toolchain';

const ADVICE =
  'add `sources: [{ index: "https://…" }]` with the sparse index of a registry, or commit what `cargo vendor` makes, with its settings';
const USUAL = 'crates-io';
const MAX_REPLACED = 16;

export interface Registries {
  readonly sources: readonly ChosenSource[];
  /** Where crates are that a lock says come from a registry. @throws EmballageError where nobody says */
  servingAs(registry: string): readonly ChosenSource[];
  readonly credentials: Credentials;
  readonly way: Way;
}

interface Stated {
  readonly value: string;
  readonly shown: string;
}

/** What configuration files say, the nearest first. */
interface CargoConfig {
  text(...path: readonly string[]): Stated | undefined;
  /** Names in a table. */
  names(table: string): readonly string[];
}

/**
 * The registries that crates come from, each with its login.
 * @throws EmballageError where the sheet names none for one
 */
export async function registriesFor(
  request: SettleRequest<'rust'>,
  needs: StatedNeeds & { readonly crates: readonly { readonly registry: string }[] },
): Promise<Registries> {
  const { project, spec, machine } = request;
  const config = readConfig(join(project.root, spec.source), machine);
  const shared = { credentials: loginsFor(config, machine), way: wayOf(config) };
  const stated = sheetSources(project.root, spec.sources);
  if (stated.length > 0) return { ...shared, sources: stated, servingAs: () => stated };
  const usual = await usualRegistry(machine);
  const found = new Map<string, ChosenSource>();
  for (const registry of new Set(needs.crates.map((crate) => crate.registry))) {
    const one = follow(config, registry, usual);
    if (typeof one !== 'string') found.set(registry, one);
    else throw nobodyToAsk(request, { needs, found: one, advice: ADVICE });
  }
  return {
    ...shared,
    sources: [...new Map([...found.values()].map((one) => [one.at, one])).values()],
    servingAs: (registry) => [found.get(registry)].flatMap((one) => one ?? []),
  };
}

/** The source that stands for a registry in the end, or what is in the way. */
function follow(config: CargoConfig, registry: string, usual: ChosenSource | undefined): ChosenSource | string {
  let name = nameOf(config, registry);
  let why = '';
  for (let i = 0; i < MAX_REPLACED && name !== undefined; i++) {
    const next = config.text('source', name, 'replace-with');
    if (next === undefined)
      return sourceNamed(config, name, why) ?? usual ?? 'neither, and no Cargo here that could be asked';
    [name, why] = [next.value, `\`source.${name}.replace-with\` in ${next.shown}`];
  }
  return name === undefined ? indexAt(registry, 'Cargo.lock') : `sources that replace each other (${why})`;
}

/** What settings say of a source; undefined for the usual registry, where they say nothing. */
function sourceNamed(config: CargoConfig, name: string, why: string): ChosenSource | string | undefined {
  const of = (key: string): Stated | undefined => config.text('source', name, key);
  const folder = of('local-registry');
  if (folder !== undefined) return { kind: 'folder', at: folder.value, why: why === '' ? folder.shown : why };
  if (of('directory') !== undefined) return `a folder of unpacked crates outside the project (${why})`;
  const own = of('registry') ?? config.text('registries', name, 'index');
  if (own !== undefined) return indexAt(own.value, why === '' ? `\`${name}\` in ${own.shown}` : why);
  return name === USUAL ? undefined : `\`${printable(name)}\`, which nothing defines (${why})`;
}

/** The name under which settings know a registry. An index in version control that they do not know is that of the usual one. */
function nameOf(config: CargoConfig, registry: string): string | undefined {
  const plain = (text: string): string => text.replace(/^(?:registry|sparse)\+/, '').replace(/\/+$/, '');
  const known = [
    ...config.names('source').map((name) => [name, config.text('source', name, 'registry')] as const),
    ...config.names('registries').map((name) => [name, config.text('registries', name, 'index')] as const),
  ].find(([, one]) => one !== undefined && plain(one.value) === plain(registry));
  return known?.[0] ?? (registry.startsWith('sparse+') ? undefined : USUAL);
}

function indexAt(address: string, why: string): ChosenSource | string {
  if (address.startsWith('sparse+')) return { kind: 'index', at: address.slice('sparse+'.length), why };
  return `${printable(address)}, an index in version control (${why})`;
}

function readConfig(from: string, machine: Machine): CargoConfig {
  const { home, variable } = machine;
  const own = variable('CARGO_HOME') ?? join(home, '.cargo');
  const paths = ancestors(from).map((folder) => join(folder, '.cargo'));
  const files = [...new Set([...paths, own])].flatMap((folder) => {
    const read = ['config.toml', 'config']
      .map((name) => readToml(join(folder, name), home))
      .find((one) => one !== undefined);
    return read === undefined ? [] : [read];
  });
  const credentials = ['credentials.toml', 'credentials'].flatMap((name) => readToml(join(own, name), home) ?? []);
  const all = [...files, ...credentials];
  return {
    text(...path) {
      const named = variable(`CARGO_${path.join('_').toUpperCase().replace(/[-.]/g, '_')}`);
      if (named !== undefined && named !== '' && path[0] !== 'source')
        return { value: named, shown: `CARGO_${path.join('_').toUpperCase().replace(/[-.]/g, '_')}` };
      for (const { table, shown, folder } of all) {
        const value = path.reduce<unknown>(
          (at, key) => (typeof at === 'object' && at !== null ? (at as Record<string, unknown>)[key] : undefined),
          table,
        );
        const isPath = ['local-registry', 'directory', 'cainfo'].includes(path.at(-1) ?? '');
        // Paths start from the folder in which the `.cargo` folder lies.
        if (typeof value === 'string') return { value: isPath ? resolve(folder, value) : value, shown };
      }
      return undefined;
    },
    names: (table) => [
      ...new Set(
        all.flatMap((one) => {
          const value = one.table[table];
          return typeof value === 'object' && value !== null ? Object.keys(value) : [];
        }),
      ),
    ],
  };
}

function readToml(
  path: string,
  home: string,
): { table: Record<string, unknown>; shown: string; folder: string } | undefined {
  let text: string;
  try {
    text = readTextNow(path);
  } catch {
    // Most of them are not there.
    return undefined;
  }
  const shown = shownPath(path, home);
  try {
    return { table: parse(text), shown, folder: dirname(dirname(path)) };
  } catch (error) {
    const { line, column } = error instanceof TomlError ? error : { line: 1, column: 1 };
    throw new EmballageError('REQUIREMENTS_INVALID', {
      doing: 'reading Cargo’s settings',
      where: `${printable(shown)}:${String(line)}:${String(column)}`,
      expected: 'TOML',
      found: printable(error instanceof Error ? (error.message.split('\n')[0] ?? '') : ''),
      mend: 'mend the file: Cargo itself refuses it too',
    });
  }
}

/** Tokens of registries, for the hosts of their indexes. */
function loginsFor(config: CargoConfig, { credentials }: Machine): Credentials {
  const tokens = new Map<string, string>();
  for (const name of config.names('registries')) {
    const index = config.text('registries', name, 'index')?.value.replace(/^sparse\+/, '');
    const token = config.text('registries', name, 'token')?.value;
    if (index !== undefined && token !== undefined && URL.canParse(index)) tokens.set(new URL(index).host, token);
  }
  return { authorizationFor: (url) => tokens.get(url.host) ?? credentials.authorizationFor(url) };
}

function wayOf(config: CargoConfig): Way {
  const [file, proxy] = [config.text('http', 'cainfo'), config.text('http', 'proxy')];
  return {
    ...(file !== undefined && { authorities: [readAuthorities(file.value, `\`http.cainfo\` in ${file.shown}`)] }),
    ...(proxy !== undefined && { proxies: { http: proxy.value, https: proxy.value } }),
  };
}

/** The sparse index that Cargo’s program has built in. */
function usualRegistry(machine: Machine): Promise<ChosenSource | undefined> {
  return machine.once('cargo default', async () => {
    const programs = [
      ...(await rustOf(machine)).flatMap(({ cargo }) => cargo ?? []),
      ...programsWithNames(/^cargo$/, machine.searchPath).keys(),
    ];
    for (const path of new Set(programs)) {
      const [, address] = /sparse\+(https?:\/\/[\w.-]+\/)/.exec(readFileSync(path, 'latin1')) ?? [];
      if (address !== undefined) return { kind: 'index' as const, at: address, why: 'Cargo’s own default' };
    }
    return undefined;
  });
}
