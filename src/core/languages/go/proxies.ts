/**
 * The module proxies that Go on this machine would ask (Go Modules Reference, "GOPROXY protocol" and "Private modules"):
 * Go itself puts together what variables, its settings file and its installation say.
 */
import { fileURLToPath } from 'node:url';
import { EmballageError } from '../../base/errors';
import { printable } from '../../base/text';
import type { StatedNeeds } from '../language';
import { sheetSources, type ChosenSource } from '../../sources';
import type { Machine } from '../../toolchains/machine';
import { askProgram, programsNamed } from '../../toolchains/programs';
import { nobodyToAsk } from '../compiled/compile/fetch-locked';
import type { SettleRequest } from '../language';

const ADVICE =
  'add `sources: [{ index: "https://…" }]` with a module proxy, or commit the `vendor` folder that `go mod vendor` makes';
const NAMES = ['GOPROXY', 'GONOPROXY', 'GOPRIVATE', 'GONOSUMDB', 'GOFLAGS'] as const;
type Settings = Readonly<Partial<Record<(typeof NAMES)[number], string>>>;

export interface Proxies {
  readonly sources: readonly ChosenSource[];
  /** Whether Go would fetch a module from version control only, and what says so. */
  isPrivate(module: string): boolean;
  readonly privateBy: string;
}

/** @throws EmballageError REQUIREMENTS_INVALID where nobody says where to ask */
export async function proxiesFor(request: SettleRequest<'go'>, needs: StatedNeeds): Promise<Proxies> {
  const { project, spec, machine, onNote } = request;
  const stated = sheetSources(project.root, spec.sources);
  if (stated.length > 0) return { sources: stated, isPrivate: () => false, privateBy: '' };
  const settings = await settingsOf(machine);
  const { GOPROXY = '', GONOPROXY = '', GOPRIVATE = '', GOFLAGS = '' } = settings ?? {};
  if (GOFLAGS.includes('-mod=vendor'))
    onNote('GOFLAGS has `-mod=vendor`, but there is no `vendor` folder beside go.sum; the modules are fetched');
  const isSet = (machine.variable('GOPROXY') ?? '') !== '';
  const sources = listedProxies(GOPROXY, isSet ? 'GOPROXY' : 'GOPROXY, as Go itself has it');
  const found =
    settings === undefined ? 'neither, and no Go here that could be asked' : `GOPROXY ${printable(GOPROXY)}`;
  if (sources.length === 0) throw nobodyToAsk(request, { needs, found, advice: ADVICE });
  const [privateBy, patterns] = GONOPROXY === '' ? ['GOPRIVATE', GOPRIVATE] : ['GONOPROXY', GONOPROXY];
  return { sources, isPrivate: (module) => isCovered(patterns, module), privateBy };
}

/** Commas and bars differ in which failures lead on to the next; ours leads on where a module is not there. */
function listedProxies(text: string, why: string): ChosenSource[] {
  const sources: ChosenSource[] = [];
  for (const word of text.split(/[,|]/).map((one) => one.trim())) {
    if (word === 'off' || word === 'direct') break;
    if (word.startsWith('file:')) sources.push({ kind: 'folder', at: fileURLToPath(word), why });
    else if (/^https?:\/\//.test(word)) sources.push({ kind: 'index', at: word, why });
  }
  return sources;
}

/** What Go says; without Go, the variables alone. */
function settingsOf(machine: Machine): Promise<Settings | undefined> {
  return machine.once('go settings', async () => {
    const [go] = programsNamed(/^go$/, machine.searchPath);
    const env = Object.fromEntries(
      Object.entries(machine.variables()).flatMap(([name, value]) => (value === undefined ? [] : [[name, value]])),
    );
    const answer =
      go === undefined ? undefined : await askProgram(go, ['env', '-json', ...NAMES], { ...env, GOTOOLCHAIN: 'local' });
    try {
      if (answer !== undefined) return JSON.parse(answer) as Settings;
    } catch {
      // Not a Go that answers so.
    }
    const set = NAMES.flatMap((name) => {
      const value = machine.variable(name);
      return value === undefined ? [] : [[name, value] as const];
    });
    return set.length === 0 ? undefined : Object.fromEntries(set);
  });
}

/** Patterns of `path.Match`, each for as many elements as it has (Go Modules Reference, "Environment variables"). */
function isCovered(patterns: string, module: string): boolean {
  return patterns
    .split(',')
    .filter((one) => one !== '')
    .some((pattern) => {
      const depth = pattern.split('/').length;
      const prefix = module.split('/').slice(0, depth).join('/');
      const text = pattern
        .replace(/[.+^${}()|\\]/g, '\\$&')
        .replaceAll('*', '[^/]*')
        .replaceAll('?', '[^/]');
      return new RegExp(`^${text}$`).test(prefix);
    });
}

/** The error for a module that settings keep from public proxies, and that no private one has. */
export function keptPrivate(
  { spec }: SettleRequest<'go'>,
  module: string,
  { privateBy }: Pick<Proxies, 'privateBy'>,
): EmballageError {
  return new EmballageError('REQUIREMENTS_INVALID', {
    doing: `settling what ${spec.name} needs`,
    where: printable(module),
    expected: 'a module that a proxy may be asked for',
    found: `one that ${privateBy} keeps from proxies: Go fetches it from version control, which has no files to lock`,
    mend: `name a proxy that serves it: \`sources: [{ index: "https://…", serves: ["${printable(module)}"] }, …]\`, or commit the \`vendor\` folder that \`go mod vendor\` makes`,
  });
}
