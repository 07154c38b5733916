/** What Cargo is told: settings of the project, the crates that were locked, the profile of a release. */
import { readTextNow } from '../../../disk/to-read';
import { existsSync, mkdirSync, readlinkSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { parse, stringify, type TomlTable } from 'smol-toml';
import { folderOf } from '../../../base/paths';
import { unpackTarball } from '../../../disk/unpack/unpack-tarball';
import type { CompileRequest as AnyCompileRequest } from '../../compiled/compiled-language';
import { KEPT as COMPILED } from '../../compiled/caches';
import { KEPT } from '../caches';
import { mostUnpacked } from '../../../project/user-packages';
import { cargoSettings } from '../locks/needs';

type CompileRequest = AnyCompileRequest<'rust'>;

/** What makes a release the same everywhere and small, where the package says nothing else. */
export const PROFILE: Readonly<Record<string, string | number | boolean>> = {
  'codegen-units': 1,
  lto: true,
  debug: false,
};

/**
 * What the crates of others become is the same for all functions of a project, and stays when our own code changes. The name
 * is none that a function can have.
 */
export function sharedFolder(project: CompileRequest['project']): string {
  return project.state.file(COMPILED.work, '_crates');
}

/** Settings of the project without those of the machine, and the crates that were locked in place of any registry. */
export async function writeSettings(request: CompileRequest, home: string): Promise<void> {
  const { project, spec, packages, fetched } = request;
  let settings: TomlTable = {};
  for (const path of cargoSettings(project, spec).reverse())
    settings = { ...settings, ...ownSettings(project.root, path) };
  if (packages.length > 0) {
    const crates = join(sharedFolder(project), 'crates');
    mkdirSync(crates, { recursive: true });
    for (const { name, version, file, sha256 } of packages) {
      const path = await fetched(sha256, file);
      const folder = project.state.file(KEPT.crates, sha256);
      // Cargo wants to read there what the registry would have told it of the file.
      const beside = { '.cargo-checksum.json': JSON.stringify({ files: {}, package: sha256 }) };
      const unpacked = await unpackTarball({
        path,
        file,
        folder,
        mustHave: 'Cargo.toml',
        beside,
        mostBytes: mostUnpacked(project),
      });
      linkTo(unpacked.folder, join(crates, `${name}-${version}`));
    }
    settings = {
      ...settings,
      source: { 'crates-io': { 'replace-with': 'locked' }, locked: { directory: crates }, ...otherSources(settings) },
    };
  }
  writeFileSync(join(home, 'config.toml'), stringify(settings));
}

function linkTo(target: string, path: string): void {
  if (existsSync(path) && readlinkSync(path) === target) return;
  rmSync(path, { force: true });
  symlinkSync(target, path);
}

/** Registries that the project names itself; their crates were locked too. */
function otherSources(settings: TomlTable): TomlTable {
  const registries = isTable(settings.registries) ? Object.values(settings.registries) : [];
  const urls = registries.flatMap((one) => (isTable(one) && typeof one.index === 'string' ? [one.index] : []));
  return Object.fromEntries(urls.map((registry, i) => [`other-${String(i)}`, { registry, 'replace-with': 'locked' }]));
}

function isTable(value: unknown): value is TomlTable {
  return typeof value === 'object' && value !== null && !Array.isArray(value);
}

function ownSettings(root: string, path: string): TomlTable {
  const table = parse(readTextNow(join(root, path)));
  const { build, source, ...rest } = table;
  const base = join(root, folderOf(folderOf(path)));
  const settled = isTable(source)
    ? Object.fromEntries(
        Object.entries(source).map(([name, one]) =>
          isTable(one) && typeof one.directory === 'string'
            ? [name, { ...one, directory: join(base, one.directory) }]
            : [name, one],
        ),
      )
    : undefined;
  const {
    target: _target,
    'target-dir': _folder,
    rustc: _rustc,
    'rustc-wrapper': _wrapper,
    jobs: _jobs,
    ...kept
  } = isTable(build) ? build : {};
  return { ...rest, ...(isTable(build) && { build: kept }), ...(settled !== undefined && { source: settled }) };
}

/** Settings of profiles in the project's files, as they are handed to the compiler. */
export function profileSettings({ project }: CompileRequest, lock: string): string[] {
  const manifest = join(project.root, folderOf(lock), 'Cargo.toml');
  const table = existsSync(manifest) ? parse(readTextNow(manifest)) : {};
  const { release } = (table.profile ?? {}) as { release?: TomlTable };
  return Object.entries(PROFILE).flatMap(([key, value]) =>
    release?.[key] === undefined ? ['--config', `profile.release.${key}=${String(value)}`] : [],
  );
}
