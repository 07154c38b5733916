/** The registry protocol of npm: what a registry says of one version of a package. */
import { EmballageError } from '../../../base/errors';
import { present } from '../../../base/present';
import { printable } from '../../../base/text';
import { NOT_FOUND, type ChosenSource, type HttpClient } from '../../../sources';
import { noRegistry, type NpmSettings } from './npm-settings';

export interface NpmDist {
  /** Address of the tarball. */
  readonly url: string;
  readonly integrity?: string;
  /** The registry that says so. */
  readonly source: ChosenSource;
  /** What the version is made for. */
  readonly os?: readonly string[];
  readonly cpu?: readonly string[];
  readonly libc?: readonly string[];
}

/** The short form of a package's document, which leaves out all that an installation does not need. */
const SHORT_FORM = 'application/vnd.npm.install-v1+json';
const MAX_DOCUMENT_BYTES = 256 * 1024 * 1024;

/** Where a version of a package is, as its registry says. */
export async function askRegistry(
  { name, version }: { readonly name: string; readonly version: string },
  settings: NpmSettings,
  http: HttpClient,
): Promise<NpmDist> {
  const doing = `asking for ${printable(name)} ${printable(version)}`;
  const source = settings.registryFor(name) ?? (await settings.ownDefault());
  if (source === undefined) throw noRegistry(doing);
  // A scope's slash is part of the name.
  const url = `${source.at}${name.replace('/', '%2f')}`;
  const answer = await http.fetch({
    url,
    accept: SHORT_FORM,
    maxBytes: MAX_DOCUMENT_BYTES,
    doing,
    credentials: settings.credentials,
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
  if (dist === undefined) throw bad(answer.contentType.includes('html') ? 'a web page' : 'an answer without it');
  return { ...dist, source };
}

function distOf(bytes: Buffer, version: string): Omit<NpmDist, 'source'> | undefined {
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
  const list = (name: string): readonly string[] | undefined => {
    const value = asRecord(found)[name];
    return value === undefined ? undefined : (Array.isArray(value) ? value : [value]).map(String);
  };
  return present({ url: tarball, integrity: stated, os: list('os'), cpu: list('cpu'), libc: list('libc') });
}

function asRecord(value: unknown): Record<string, unknown> {
  return typeof value === 'object' && value !== null ? (value as Record<string, unknown>) : {};
}
