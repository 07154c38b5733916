/**
 * The simple repository interface of Python package indexes: pages in JSON (PEP 691, PEP 700) or HTML (PEP 503), with
 * yanked files (PEP 592) and separate metadata (PEP 658, PEP 714).
 */
import { EmballageError } from '../../../base/errors';
import { present } from '../../../base/present';
import { printable, percentDecoded } from '../../../base/text';
import { NOT_FOUND, type Fetched, type HttpClient } from '../../../sources';
import type { PackageFile } from '../../../sources';

export interface IndexFile extends PackageFile {
  readonly requiresPython?: string;
  /** The reason, which may be empty. */
  readonly yanked?: string;
  /** SHA-256 of the metadata file beside it, `true` where only its presence is known. */
  readonly metadata?: string | true;
}

/** Preference as PEP 691 suggests. */
const ACCEPT = 'application/vnd.pypi.simple.v1+json, application/vnd.pypi.simple.v1+html;q=0.2, text/html;q=0.1';
const MAX_PAGE_BYTES = 128 * 1024 * 1024;
/** Most files that one project may list. */
const MAX_FILES = 200_000;

/** The files of a project; undefined where the index does not have it. @param name normalised */
export async function fetchProject(http: HttpClient, index: string, name: string): Promise<IndexFile[] | undefined> {
  const url = `${index.replace(/\/+$/, '')}/${name}/`;
  const doing = `asking the index for ${name}`;
  const page = await http.fetch({ url, accept: ACCEPT, maxBytes: MAX_PAGE_BYTES, doing });
  return page === NOT_FOUND ? undefined : readPage(page, doing);
}

/** The files that a page of an index lists, in JSON (PEP 691) or HTML (PEP 503). @param doing for messages */
export function readPage(page: Fetched, doing: string): IndexFile[] {
  const type = page.contentType.split(';')[0]?.trim().toLowerCase() ?? '';
  const files = type.endsWith('json')
    ? readJson(page, doing)
    : type.endsWith('html')
      ? readHtml(page)
      : bad(page, doing, 'a page in JSON or HTML', `\`${printable(page.contentType)}\``);
  if (files.length > MAX_FILES) return bad(page, doing, `at most ${String(MAX_FILES)} files`, String(files.length));
  return files.filter((file) => /^(?:https?|file):/.test(file.url));
}

function readJson(page: Fetched, doing: string): IndexFile[] {
  let value: unknown;
  try {
    value = JSON.parse(page.bytes.toString('utf8'));
  } catch (error) {
    return bad(page, doing, 'JSON, as the answer says it is', 'text that is no JSON', error);
  }
  const { files, meta } = (value ?? {}) as { files?: unknown; meta?: { 'api-version'?: unknown } | null };
  if (!Array.isArray(files)) return bad(page, doing, 'a list of `files`', 'none');
  const version = typeof meta?.['api-version'] === 'string' ? meta['api-version'] : '1.0';
  if (!version.startsWith('1.')) return bad(page, doing, 'version 1 of the interface', version);
  return files.flatMap((file) => readJsonFile(file, page.url) ?? []);
}

function readJsonFile(value: unknown, base: string): IndexFile | undefined {
  if (typeof value !== 'object' || value === null) return undefined;
  const file = value as Record<string, unknown>;
  if (typeof file.filename !== 'string' || typeof file.url !== 'string') return undefined;
  const url = addressIn(file.url, base);
  if (url === undefined) return undefined;
  const { yanked, size } = file;
  const metadata = file['core-metadata'] ?? file['dist-info-metadata'];
  return present({
    file: file.filename,
    url: url.href,
    sha256: digestIn(file.hashes),
    size: Number.isSafeInteger(size) && Number(size) >= 0 ? Number(size) : undefined,
    requiresPython: textIn(file['requires-python']),
    yanked: yanked === true ? '' : typeof yanked === 'string' ? yanked : undefined,
    metadata: metadata === undefined || metadata === false ? undefined : (digestIn(metadata) ?? (true as const)),
  });
}

/** Where a page of an index leads: never to files of this machine, and nowhere where it cannot be read. */
function addressIn(href: string, base: string): URL | undefined {
  const url = URL.canParse(href, base) ? new URL(href, base) : undefined;
  return url !== undefined && /^https?:$/.test(url.protocol) ? url : undefined;
}

function textIn(value: unknown): string | undefined {
  return typeof value === 'string' && value !== '' ? value : undefined;
}

function digestIn(hashes: unknown): string | undefined {
  const sha256 = typeof hashes === 'object' && hashes !== null && 'sha256' in hashes ? hashes.sha256 : undefined;
  return typeof sha256 === 'string' && /^[0-9a-f]{64}$/i.test(sha256) ? sha256.toLowerCase() : undefined;
}

function readHtml(page: Fetched): IndexFile[] {
  const files: IndexFile[] = [];
  let base = page.url;
  let open: { attributes: Readonly<Record<string, string>>; text: string } | undefined;
  // Loaded only for indexes that do not speak JSON.
  // eslint-disable-next-line @typescript-eslint/no-require-imports
  const { Parser } = require('htmlparser2') as typeof import('htmlparser2');
  const parser = new Parser({
    onopentag(name, attributes) {
      if (name === 'base' && attributes.href !== undefined) base = addressIn(attributes.href, base)?.href ?? base;
      if (name === 'a') open = { attributes, text: '' };
    },
    ontext(text) {
      if (open !== undefined) open.text += text;
    },
    onclosetag(name) {
      const file = name === 'a' && open !== undefined ? readAnchor(open.attributes, open.text.trim(), base) : undefined;
      if (file !== undefined) files.push(file);
      if (name === 'a') open = undefined;
    },
  });
  parser.end(page.bytes.toString('utf8'));
  return files;
}

function readAnchor(attributes: Readonly<Record<string, string>>, text: string, base: string): IndexFile | undefined {
  const { href } = attributes;
  const url = href === undefined ? undefined : addressIn(href, base);
  if (url === undefined) return undefined;
  const [, sha256] = /(?:^#|&)sha256=([0-9a-f]{64})/i.exec(url.hash) ?? [];
  url.hash = '';
  const file = text === '' ? percentDecoded(url.pathname.split('/').at(-1) ?? '') : text;
  const metadata = attributes['data-core-metadata'] ?? attributes['data-dist-info-metadata'];
  const [, metadataDigest] = /^sha256=([0-9a-f]{64})$/i.exec(metadata ?? '') ?? [];
  const isOffered = metadata !== undefined && metadata !== 'false';
  return present({
    file,
    url: url.href,
    sha256: sha256?.toLowerCase(),
    requiresPython: textIn(attributes['data-requires-python']),
    yanked: attributes['data-yanked'],
    metadata: isOffered ? (metadataDigest?.toLowerCase() ?? (true as const)) : undefined,
  });
}

function bad(page: Fetched, doing: string, expected: string, found: string, cause?: unknown): never {
  throw new EmballageError(
    'SOURCE_INVALID',
    {
      doing,
      where: printable(page.url),
      expected,
      found,
      mend: 'check that the address is that of a package index, usually one that ends in `/simple`',
    },
    cause,
  );
}
