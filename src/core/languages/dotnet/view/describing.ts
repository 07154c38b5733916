/** What a package says of itself: its manifest, and the list of a publish folder (Package URL, type `nuget`). */
import { PackageURL } from 'packageurl-js';
import { EmballageError } from '../../../base/errors';
import { folderOf } from '../../../base/paths';
import type { Describing, InstalledPackage } from '../../describing';
import { readDepsFile } from '../published/deps-file';
import { readNuspec } from '../packages/nuspec';
import { compareVersions, parseVersion } from '../packages/version';

const MANIFEST = /^[^/]+\.nuspec$/i;
const LIST = /^(?:.*\/)?[^/]+\.deps\.json$/;

export const dotnetDescribing: Describing = {
  ecosystem: 'NuGet',
  purl: ({ name, version }) => new PackageURL('nuget', null, name, version, null, null).toString(),
  plainName: (name) => name.toLowerCase(),
  compare(a, b) {
    const [x, y] = [parseVersion(a), parseVersion(b)];
    if (x === undefined || y === undefined) return Number(x !== undefined) - Number(y !== undefined);
    return compareVersions(x, y);
  },
  isVersion: (text) => parseVersion(text) !== undefined,
  metadata: MANIFEST,
  licence(texts) {
    const found = texts.find(({ path }) => MANIFEST.test(path));
    if (found === undefined) return undefined;
    const stated = manifestIn(found.text, found.path)?.licence;
    // The text of a file is known by its words.
    return stated === undefined || stated.type === 'file' ? undefined : { written: [stated.text], at: found.path };
  },
  installed: { file: LIST, read: packagesListed },
};

function manifestIn(text: string, path: string): ReturnType<typeof readNuspec> | undefined {
  try {
    return readNuspec(text, path);
  } catch (error) {
    if (error instanceof EmballageError) return undefined;
    throw error;
  }
}

/** A publish folder lists its packages in one file. */
function packagesListed(path: string, text: string): readonly InstalledPackage[] {
  try {
    const above = folderOf(path);
    const prefix = above === '' ? '' : `${above}/`;
    return readDepsFile(text, path)
      .libraries.filter(({ type, name, version }) => type === 'package' && name !== '' && version !== '')
      .map(({ name, version, assets }) => ({
        name,
        version,
        folders: [],
        files: assets.map(({ file }) => prefix + file),
      }));
  } catch (error) {
    if (error instanceof EmballageError) return [];
    throw error;
  }
}
