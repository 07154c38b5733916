/** The pages of a registry of npm packages: what it says of a package, and its tarballs. */
import type { MadeTarball } from '../packages';

/** Tarballs by package name. */
export type NpmCatalogue = ReadonlyMap<string, readonly MadeTarball[]>;

export const NPM_PATH = '/npm/';

/** What is asked for below the registry's address: `@a%2fb`, or `@a/b/-/a-b-1.0.0.tgz`. */
export function parseNpmPath(path: string): { readonly name: string; readonly file?: string } | undefined {
  const [, name, file] = /^((?:@[^/]+\/)?[^/]+)(?:\/-\/([^/]+))?$/.exec(path.slice(NPM_PATH.length)) ?? [];
  return name === undefined ? undefined : { name, ...(file !== undefined && { file }) };
}

/**
 * The document of a package.
 * @param base address of the registry
 * @param wrong what is to be wrong with it, where it misbehaves
 */
export function npmDocument(
  name: string,
  made: readonly MadeTarball[],
  base: string,
  wrong: 'digest' | undefined,
): object {
  const versions = made.map(({ version, file, integrity, sha1, manifest }) => [
    version,
    {
      ...manifest,
      dist: {
        tarball: `${base}${name}/-/${file}`,
        integrity: wrong === 'digest' ? `sha512-${Buffer.alloc(64).toString('base64')}` : integrity,
        shasum: sha1,
      },
    },
  ]);
  return { name, 'dist-tags': { latest: made.at(-1)?.version }, versions: Object.fromEntries(versions) as object };
}
