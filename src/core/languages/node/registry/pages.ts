/** The pages of a registry of npm packages: what it says of a package, and its tarballs. */
import { join } from 'node:path';
import { existsSync } from 'node:fs';
import type { Page, Pages } from '../../pages';
import { makeTarball, type MadeTarball } from '../packages';

const NPM_PATH = '/npm/';
const JSON_TYPE = 'application/json';

/** The pages of a stand-in registry. */
export function openPages(): Pages {
  const made = new Map<string, MadeTarball[]>();
  return {
    take(folder, shown, name) {
      if (!existsSync(join(folder, name, 'package.json'))) return false;
      const tarball = makeTarball(join(folder, name), join(shown, name));
      made.set(tarball.name, [...(made.get(tarball.name) ?? []), tarball]);
      return true;
    },
    page({ path, base, fault }) {
      const asked = path.startsWith(NPM_PATH) ? parseNpmPath(path) : undefined;
      const versions = made.get(asked?.name ?? '');
      if (asked === undefined || versions === undefined) return Promise.resolve(undefined);
      if (asked.file !== undefined) {
        const found = versions.find(({ file }) => file === asked.file);
        return Promise.resolve(found === undefined ? undefined : { kind: 'file', bytes: found.bytes });
      }
      return Promise.resolve<Page>(
        fault === 'html-as-json'
          ? { kind: 'text', type: JSON_TYPE, body: '<html>not what you asked for</html>', isTagged: false }
          : {
              kind: 'text',
              type: JSON_TYPE,
              isTagged: true,
              body: JSON.stringify(
                npmDocument(asked.name, versions, base + NPM_PATH, fault === 'wrong-digest' ? 'digest' : undefined),
              ),
            },
      );
    },
    offer(base) {
      const url = base + NPM_PATH;
      return {
        key: 'npmUrl',
        url,
        projects: [...made.keys()],
        files: [...made.values()].reduce((sum, some) => sum + some.length, 0),
        line: made.size === 0 ? undefined : 'npm packages',
        naming: made.size === 0 ? undefined : ['in .npmrc', `registry=${url}`],
      };
    },
  };
}

/** What is asked for below the registry's address: `@a%2fb`, or `@a/b/-/a-b-1.0.0.tgz`. */
function parseNpmPath(path: string): { readonly name: string; readonly file?: string } | undefined {
  const [, name, file] = /^((?:@[^/]+\/)?[^/]+)(?:\/-\/([^/]+))?$/.exec(path.slice(NPM_PATH.length)) ?? [];
  return name === undefined ? undefined : { name, ...(file !== undefined && { file }) };
}

/**
 * The document of a package.
 * @param base address of the registry
 * @param wrong what is to be wrong with it, where it misbehaves
 */
function npmDocument(name: string, made: readonly MadeTarball[], base: string, wrong: 'digest' | undefined): object {
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
