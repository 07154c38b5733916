/** A `*.deps.json` for a function and packages beside it, as the SDK would write it; or packages added to one that is there. */
import { parse } from 'jsonc-parser';
import type { Asset } from '../packages/assets';
import { ridOf, type System } from './systems';
import { frameworkVersion } from './runtime-config';

export interface AddedPackage {
  readonly name: string;
  readonly version: string;
  /** SHA-512 in base 64. */
  readonly contentHash: string;
  readonly assets: readonly Asset[];
  /** Names and versions of packages of the same lock that it asks for. */
  readonly needs: Readonly<Record<string, string>>;
  readonly isDirect: boolean;
}

interface DepsDocument {
  runtimeTarget: { name: string; signature: string };
  compilationOptions: object;
  targets: Record<string, Record<string, Record<string, unknown>>>;
  libraries: Record<string, Record<string, unknown>>;
}

/** @param known what is there already; it was read without a fault */
export function depsWith(
  known: string | undefined,
  main: string,
  added: readonly AddedPackage[],
  system: System,
): string {
  const document = known === undefined ? emptyDeps(main, system) : (parse(known) as DepsDocument);
  const target = (document.targets[document.runtimeTarget.name] ??= {});
  const own = Object.keys(target).find((key) => key.startsWith(`${main}/`));
  const direct = Object.fromEntries(
    added.filter(({ isDirect }) => isDirect).map(({ name, version }) => [name, version]),
  );
  if (own !== undefined && added.length > 0)
    target[own] = {
      dependencies: { ...(target[own]?.dependencies as object | undefined), ...direct },
      ...withoutNeeds(target[own]),
    };
  for (const { name, version, contentHash, assets, needs } of added) {
    const key = `${name}/${version}`;
    const of = (kind: Asset['kind']): Record<string, object> =>
      Object.fromEntries(
        assets
          .filter((one) => one.kind === kind)
          .map(({ path, culture }) => [path, culture === undefined ? {} : { locale: culture }]),
      );
    const groups = { runtime: of('runtime'), native: of('native'), resources: of('resources') };
    target[key] = {
      ...(Object.keys(needs).length > 0 && { dependencies: needs }),
      ...Object.fromEntries(Object.entries(groups).filter(([, group]) => Object.keys(group).length > 0)),
    };
    document.libraries[key] = {
      type: 'package',
      serviceable: true,
      sha512: `sha512-${contentHash}`,
      path: key.toLowerCase(),
      hashPath: `${name.toLowerCase()}.${version.toLowerCase()}.nupkg.sha512`,
    };
  }
  return `${JSON.stringify(document, null, 2)}\n`;
}

function withoutNeeds(library: Readonly<Record<string, unknown>> | undefined): Record<string, unknown> {
  return Object.fromEntries(Object.entries(library ?? {}).filter(([key]) => key !== 'dependencies'));
}

function emptyDeps(main: string, system: System): DepsDocument {
  const framework = `.NETCoreApp,Version=v${frameworkVersion(String(system.version))}`;
  const target = `${framework}/${ridOf(system)}`;
  return {
    runtimeTarget: { name: target, signature: '' },
    compilationOptions: {},
    targets: { [framework]: {}, [target]: { [`${main}/1.0.0`]: { runtime: { [`${main}.dll`]: {} } } } },
    libraries: { [`${main}/1.0.0`]: { type: 'project', serviceable: false, sha512: '' } },
  };
}
