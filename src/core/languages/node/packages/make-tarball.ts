/** Makes the tarball of a package from its folder, with all that lies in it. The same folder gives the same bytes. */
import { createHash } from 'node:crypto';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { comparePaths, joinPath } from '../../../base/paths';
import { gzip } from '../../../formats/gzip';
import { writeTar, type TarMember } from '../../../formats/tar';
import { asRecord, parseJson } from './package-lock';

export interface MadeTarball {
  readonly name: string;
  readonly version: string;
  readonly file: string;
  readonly bytes: Buffer;
  /** Subresource integrity. */
  readonly integrity: string;
  readonly sha1: string;
  /** What its package.json says. */
  readonly manifest: Readonly<Record<string, unknown>>;
}

/** The time that npm itself gives to what it packs: 1985-10-26, in seconds since 1970. */
const MTIME_SECONDS = 499_162_500;

/** @param folder absolute path of the package, and `shown` its name in messages */
export function makeTarball(folder: string, shown: string): MadeTarball {
  const manifest = asRecord(parseJson(readFileSync(join(folder, 'package.json'), 'utf8'), `${shown}/package.json`));
  const [name, version] = [String(manifest.name), String(manifest.version)];
  const files = filesBelow(folder, '').sort((a, b) => comparePaths(a.path, b.path));
  const bytes = gzip(writeTar(files, MTIME_SECONDS));
  const file = `${name.replace(/^@/, '').replaceAll('/', '-')}-${version}.tgz`;
  const digest = (algorithm: string, form: 'base64' | 'hex'): string =>
    createHash(algorithm).update(bytes).digest(form);
  return {
    name,
    version,
    file,
    bytes,
    integrity: `sha512-${digest('sha512', 'base64')}`,
    sha1: digest('sha1', 'hex'),
    manifest,
  };
}

function filesBelow(folder: string, path: string): TarMember[] {
  return readdirSync(join(folder, path), { withFileTypes: true }).flatMap((entry): TarMember[] => {
    const below = joinPath(path, entry.name);
    if (entry.isDirectory()) return filesBelow(folder, below);
    return [{ path: `package/${below}`, content: readFileSync(join(folder, below)), mode: 0o644 }];
  });
}
