/** Fetches what a language has locked, from the sources that the sheet names; each file must be what the lock says. */
import { existsSync, readFileSync } from 'node:fs';
import { EmballageError } from '../../../base/errors';
import { listed, literalPattern, printable } from '../../../base/text';
import { severalAtOnce } from '../../../base/several';
import type { LockedFunction, LockedPackage } from '../../../project/lock/lockfile';
import type { Project } from '../../../project/targets';
import {
  NOT_FOUND,
  notedSources,
  recordedPath,
  recordedSource,
  type ChosenSource,
  type HttpClient,
} from '../../../sources';
import { withoutCredentials } from '../../../toolchains/credentials';
import type { SettleRequest, StatedNeeds } from '../../language';
import type { CompiledId } from '../own';

const AT_ONCE = 8;
/** The largest module that Go takes (Go Modules Reference, "File path and size constraints"), and larger than any crate. */
export const MAX_FILE_BYTES = 500 * 1024 * 1024;

/** Who is asked for packages, and how. */
export interface Asked {
  readonly sources: readonly ChosenSource[];
  readonly http: HttpClient;
}

/** Settles every row of a lock. Code is the same for all architectures, and so is what it needs. */
export async function settleRows<Row>(
  { spec, project, onSettling }: SettleRequest<CompiledId>,
  { needs, rows, asked }: { readonly needs: StatedNeeds; readonly rows: readonly Row[]; readonly asked: Asked },
  settleRow: (row: Row) => Promise<LockedPackage>,
): Promise<LockedFunction> {
  for (const arch of spec.archs) onSettling(spec.name, arch);
  const packages = new Map<string, LockedPackage>();
  await severalAtOnce(rows, AT_ONCE, async (row) => {
    const one = await settleRow(row);
    packages.set(`${one.name}\0${one.version}\0${one.file}`, one);
  });
  const sorted = [...packages].sort(([a], [b]) => (a < b ? -1 : 1)).map(([, one]) => one);
  return {
    inputs: needs.inputs,
    sources: notedSources(project.root, asked.sources),
    targets: Object.fromEntries(spec.archs.map((arch) => [arch, sorted])),
  };
}

/** Nobody says where to ask. @param advice what to write, and where */
export function nobodyToAsk(
  { spec, project }: Pick<SettleRequest<CompiledId>, 'spec' | 'project'>,
  { needs, found, advice }: { readonly needs: StatedNeeds; readonly found: string; readonly advice: string },
): EmballageError {
  return new EmballageError('REQUIREMENTS_INVALID', {
    doing: `settling what ${spec.name} needs`,
    where: needs.files[0] ?? project.files[0] ?? '',
    expected: '`sources`, or settings that say where the packages come from',
    found,
    mend: advice,
  });
}

export interface Fetched {
  readonly bytes: Buffer;
  readonly index: string;
  readonly from: string;
}

export interface Where {
  /** Absolute path of the file in a folder that stands for a registry. */
  readonly inFolder: (folder: string) => string;
  readonly atIndex: (index: string, http: HttpClient) => Promise<string>;
}

/** From the first source that has it; those that name what they serve serve nothing else. */
export async function fetchFirst(
  { project, spec }: SettleRequest<CompiledId>,
  { sources, http }: Asked,
  name: string,
  where: Where,
): Promise<Fetched> {
  const serving = sources.filter(({ serves }) => serves === undefined || serves.some((one) => fits(one, name)));
  const pinned = serving.filter(({ serves }) => serves !== undefined);
  const order = pinned.length > 0 ? pinned : serving;
  for (const source of order) {
    const found = await fetchFrom(project, source, where, http, name);
    if (found !== undefined) return found;
  }
  throw new EmballageError('SOURCE_INVALID', {
    doing: `settling what ${spec.name} needs`,
    where: printable(name),
    expected: `it at ${listed(order.map(({ at }) => printable(withoutCredentials(at)), 'or'))}`,
    found: 'nothing there',
    mend: 'name the source that has it under `sources`',
  });
}

async function fetchFrom(
  project: Project,
  source: ChosenSource,
  where: Where,
  http: HttpClient,
  name: string,
): Promise<Fetched | undefined> {
  if (source.kind === 'folder') {
    const path = where.inFolder(source.at);
    if (!existsSync(path)) return undefined;
    const { root } = project;
    return { bytes: readFileSync(path), index: recordedSource(root, source), from: recordedPath(root, path) };
  }
  const url = await where.atIndex(source.at, http);
  const page = await http.fetch({ url, maxBytes: MAX_FILE_BYTES, doing: `fetching ${printable(name)}` });
  if (page === NOT_FOUND) return undefined;
  return { bytes: page.bytes, index: withoutCredentials(source.at), from: withoutCredentials(url) };
}

function fits(pattern: string, name: string): boolean {
  const text = pattern.split('*').map(literalPattern).join('.*');
  return new RegExp(`^${text}$`).test(name);
}

/** The error for a file that is not the locked one. */
export function mismatch(file: string, from: string, expected: string, found: string): EmballageError {
  return new EmballageError('SOURCE_MISMATCH', {
    doing: `fetching ${printable(file)}`,
    where: printable(from),
    expected: `${expected}, as the language has locked it`,
    found,
    mend: 'find out why the file changed before you trust it',
  });
}
