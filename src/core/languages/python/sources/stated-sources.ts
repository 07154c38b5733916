/** Where the packages of a function come from: what the sheet says, or what pip on this machine would ask. */
import { join } from 'node:path';
import { EmballageError } from '../../../base/errors';
import type { Project } from '../../../project/targets';
import type { FunctionSpec } from '../../../sheet';
import { sheetSources, type ChosenSource, type HttpClient, type Way } from '../../../sources';
import { loginsOf } from '../../../toolchains/credentials';
import type { Machine } from '../../../toolchains/machine';
import type { FunctionNeeds } from '../locks/needs';
import { pipSettings, pipWay } from './pip-settings';

/** A place that packages come from. */
export interface PythonSource extends ChosenSource {
  /** What it has is added to what another source has, as installers do with pages of links. */
  readonly isShared?: true;
}

export interface PythonSources {
  readonly sources: readonly PythonSource[];
  readonly way: Way;
  /** What is to be said of the settings that were read. */
  readonly notes: readonly string[];
}

/** @throws EmballageError REQUIREMENTS_INVALID where there are requirements and nobody says where to ask */
export async function sourcesOf(
  project: Project,
  spec: FunctionSpec,
  needs: FunctionNeeds,
  machine: Machine,
): Promise<PythonSources> {
  const { root } = project;
  const links = needs.links.map((link): PythonSource => ({
    ...(/^https?:/.test(link) ? { kind: 'links', at: link } : { kind: 'folder', at: join(root, link) }),
    why: `--find-links in ${needs.files[0] ?? ''}`,
  }));
  if (spec.sources.length > 0)
    return {
      sources: [...sheetSources(root, spec.sources), ...links],
      // The certificates and proxies of the machine count for what the sheet names as well.
      way: pipWay(machine),
      notes: needs.indexes.map(
        ({ option, by }) => `\`--${option}\` in ${by} is passed over, since the sheet names sources`,
      ),
    };
  const own = await pipSettings(machine, root, needs.indexes);
  const shared = [...own.sources.filter(({ kind }) => kind !== 'index'), ...links];
  const sources = [
    ...own.sources.filter(({ kind }) => kind === 'index'),
    ...shared.map((one) => ({ ...one, isShared: true as const })),
  ];
  if (sources.length > 0 || needs.stated.length === 0) return { ...own, sources };
  throw new EmballageError('REQUIREMENTS_INVALID', {
    doing: `settling what ${spec.name} needs`,
    where: project.files[0] ?? '',
    expected: '`sources`, or settings of pip, that say where requirements come from',
    found: 'neither, and no pip here that could be asked',
    mend: 'add `sources: [{ index: "https://…/simple" }]`, or `[{ folder: wheels }]`',
  });
}

/** The client as pip would ask: with the logins in addresses, and its certificates and proxies. */
export function asPipAsks(http: HttpClient, { sources, way }: PythonSources, machine: Machine): HttpClient {
  const addresses = sources.filter(({ kind }) => kind !== 'folder').map(({ at }) => at);
  return http.with({ credentials: loginsOf(addresses, machine.credentials), way });
}
