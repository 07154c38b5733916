/** The registry protocol of npm: what a registry says of one version of a package. */
import { EmballageError } from '../../../base/errors';
import { printable } from '../../../base/text';
import { NOT_FOUND, type HttpClient } from '../../../sources';
import type { NpmConfig } from './npm-config';

export interface NpmDist {
  /** Address of the tarball. */
  readonly url: string;
  readonly integrity?: string;
}

/** The short form of a package's document, which leaves out all that an installation does not need. */
const SHORT_FORM = 'application/vnd.npm.install-v1+json';
const MAX_DOCUMENT_BYTES = 256 * 1024 * 1024;

/** Where a version of a package is, as its registry says. */
export async function askRegistry(
  { name, version }: { readonly name: string; readonly version: string },
  config: NpmConfig,
  http: HttpClient,
): Promise<NpmDist> {
  const doing = `asking for ${printable(name)} ${printable(version)}`;
  const registry = config.registryFor(name);
  if (registry === undefined)
    throw new EmballageError('REQUIREMENTS_INVALID', {
      doing,
      expected: 'a registry in `.npmrc`, since the lock does not say where the file is (`resolved`)',
      found: 'none',
      mend: 'write `registry=https://…` into the project’s `.npmrc`',
    });
  // A scope's slash is part of the name.
  const url = `${registry}${name.replace('/', '%2f')}`;
  const answer = await http.fetch({
    url,
    accept: SHORT_FORM,
    maxBytes: MAX_DOCUMENT_BYTES,
    doing,
    credentials: config.credentials,
  });
  const bad = (found: string): EmballageError =>
    new EmballageError('SOURCE_INVALID', {
      doing,
      where: printable(url),
      expected: 'that version, with the address of its file',
      found,
      mend: 'check the registry in `.npmrc`, or settle the packages anew',
    });
  if (answer === NOT_FOUND) throw bad('no such package');
  const dist = distOf(answer.bytes, version);
  if (dist === undefined) throw bad('an answer without it');
  return dist;
}

function distOf(bytes: Buffer, version: string): NpmDist | undefined {
  let document: unknown;
  try {
    document = JSON.parse(bytes.toString('utf8'));
  } catch {
    return undefined;
  }
  const { versions } = asRecord(document);
  const found = asRecord(versions)[version];
  const { tarball, integrity, shasum } = asRecord(asRecord(found).dist);
  if (typeof tarball !== 'string' || !/^https?:\/\//.test(tarball)) return undefined;
  const stated =
    typeof integrity === 'string'
      ? integrity
      : typeof shasum === 'string'
        ? `sha1-${Buffer.from(shasum, 'hex').toString('base64')}`
        : undefined;
  return { url: tarball, ...(stated !== undefined && { integrity: stated }) };
}

function asRecord(value: unknown): Record<string, unknown> {
  return typeof value === 'object' && value !== null ? (value as Record<string, unknown>) : {};
}
