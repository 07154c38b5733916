/** What some locks do not say of packages: platforms, which registries know, and scripts and engines, which stand in the package. */
import { readTextNow } from '../../../disk/to-read';
import { join } from 'node:path';
import { folderOf } from '../../../base/paths';
import { severalAtOnce } from '../../../base/several';
import { unpackTarball } from '../../../disk/unpack/unpack-tarball';
import { mostUnpacked, packageStore, unpackedFolder } from '../../../project/user-packages';
import type { Project } from '../../../project/targets';
import type { SettleRequest } from '../../language';
import type { NodeNeeds } from '../locks/needs';
import { asRecord, parseJson, type LockEntry, type PackageLock } from '../packages';
import { askRegistry } from '../registry/npm-registry';
import { npmSettings } from '../registry/npm-settings';

const AT_ONCE = 8;

/**
 * The same lock, with the platforms of packages that may be left out: only these are made for some and not for others.
 * What says its platforms already is not asked about.
 */
export async function withPlatforms(
  lock: PackageLock,
  { project, spec, machine, http }: SettleRequest<'node'>,
  needs: NodeNeeds,
): Promise<PackageLock> {
  const optional = new Set([...lock.values()].flatMap((one) => Object.keys(one.optionalDependencies)));
  const open = [...lock.values()].filter(
    ({ key, os, cpu, isLink }) =>
      !isLink &&
      os === undefined &&
      cpu === undefined &&
      optional.has(key.slice(key.lastIndexOf('node_modules/') + 13)),
  );
  if (open.length === 0) return lock;
  const settings = npmSettings(project, spec, folderOf(needs.lock), machine);
  const client = http.with({ credentials: settings.credentials, way: settings.way });
  const found = new Map<string, LockEntry>();
  await severalAtOnce(open, AT_ONCE, async (entry) => {
    const { os, cpu, libc } = await askRegistry(entry, settings, client);
    found.set(entry.key, {
      ...entry,
      ...(os !== undefined && { os }),
      ...(cpu !== undefined && { cpu }),
      ...(libc !== undefined && { libc }),
    });
  });
  return new Map([...lock].map(([key, entry]) => [key, found.get(key) ?? entry]));
}

/** What a package in the store says of itself. @param file its name, for messages */
export async function factsInPackage(
  project: Project,
  sha256: string,
  file: string,
): Promise<Pick<LockEntry, 'hasInstallScript' | 'engines'>> {
  const { folder } = await unpackTarball({
    path: packageStore(project).pathOf(sha256),
    file,
    folder: unpackedFolder(project, sha256),
    mustHave: 'package.json',
    mostBytes: mostUnpacked(project),
  });
  const value = parseJson(readTextNow(join(folder, 'package.json')), file);
  const scripts = asRecord(value.scripts);
  const { node } = asRecord(value.engines);
  return {
    hasInstallScript: ['preinstall', 'install', 'postinstall'].some((name) => typeof scripts[name] === 'string'),
    ...(typeof node === 'string' && { engines: node }),
  };
}
