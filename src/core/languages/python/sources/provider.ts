/** Projects and metadata from the sources of a function, in their order; the first source that has a project serves it. */
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { EmballageError } from '../../../base/errors';
import { printable } from '../../../base/text';
import { contentDigest } from '../../../disk/digest';
import { withFileSource } from '../../../disk/file-source';
import { writeWhole } from '../../../disk/write';
import { findEntry, readEntry, type ByteSource } from '../../../formats/zip';
import { NOT_FOUND, type HttpClient, type PackageStore } from '../../../sources';
import { fetchProject, readPage, type IndexFile } from './index-pages';
import { projectFor, type Candidate, type Project } from './candidates';
import { normalizeName } from '../versions/marker';
import type { PythonSource } from './stated-sources';
import { MAX_METADATA_BYTES, parseMetadata, type CoreMetadata } from '../wheel/metadata';
import type { PackageSource } from '../locks/resolve';
import { parseSdistName, parseWheelName, type PythonTarget } from '../versions/tags';

interface Served {
  readonly source: PythonSource;
  readonly files: readonly IndexFile[];
}

/** Builds a source distribution; gives the absolute path of the wheel. */
export type BuildWheel = (candidate: Candidate) => Promise<string>;

export interface ProviderOptions {
  readonly sources: readonly PythonSource[];
  readonly http: HttpClient;
  readonly store: PackageStore;
  /** Absolute path of the folder for metadata that was read. */
  readonly metadataFolder: string;
  readonly target: PythonTarget;
  /** Undefined where source distributions are not to be built. */
  readonly build?: BuildWheel;
}

/** How much of a wheel's end is fetched to read its metadata, which archivers put there. */
const TAIL_BYTES = 128 * 1024;

export class PythonProvider implements PackageSource {
  readonly #options: ProviderOptions;
  readonly #projects = new Map<string, Promise<Project | undefined>>();
  readonly #metadata = new Map<string, Promise<CoreMetadata>>();
  readonly #servedBy = new Map<string, readonly Served[]>();

  constructor(options: ProviderOptions) {
    this.#options = options;
  }

  /** The source that served a file of a project. */
  sourceOf(name: string, { url }: IndexFile): PythonSource | undefined {
    return this.#servedBy.get(name)?.find(({ files }) => files.some((file) => file.url === url))?.source;
  }

  /** Other indexes, asked after the one that served a project, that have it too: whose word counts is by their order alone. */
  async alsoAt(name: string): Promise<PythonSource[]> {
    const served = this.#servedBy.get(name)?.find(({ source }) => source.isShared !== true)?.source;
    if (served === undefined || served.serves !== undefined) return [];
    const others = sourcesFor(name, this.#options.sources).filter((one) => one !== served && one.kind === 'index');
    const has = await Promise.all(others.map((one) => filesOf(one, name, this.#options.http)));
    return others.filter((_, i) => (has[i]?.length ?? 0) > 0);
  }

  project(name: string): Promise<Project | undefined> {
    const known = this.#projects.get(name) ?? this.#findProject(name);
    this.#projects.set(name, known);
    return known;
  }

  metadata(project: Project, candidate: Candidate): Promise<CoreMetadata> {
    const known = this.#metadata.get(candidate.file.url) ?? this.#readMetadata(project, candidate);
    this.#metadata.set(candidate.file.url, known);
    return known;
  }

  async #findProject(name: string): Promise<Project | undefined> {
    const served: Served[] = [];
    for (const source of sourcesFor(name, this.#options.sources)) {
      if (source.isShared !== true && served.length > 0) continue;
      const files = (await filesOf(source, name, this.#options.http)) ?? [];
      if (files.length > 0) served.push({ source, files });
    }
    if (served.length === 0) return undefined;
    this.#servedBy.set(name, served);
    const files = served.flatMap((one) => one.files);
    const project = projectFor(name, files, this.#options.target, this.#options.build !== undefined);
    this.#prefetch(project);
    return project;
  }

  /** The newest version is the likeliest to be asked about next. */
  #prefetch(project: Project): void {
    const likely = project.candidates.find((candidate) => !candidate.isPrerelease && candidate.yanked === undefined);
    if (likely?.kind !== 'wheel' || this.#options.http.isOffline) return;
    // What is wrong with it is met when the solver asks, if it ever does.
    this.metadata(project, likely).catch(() => undefined);
  }

  async #readMetadata(project: Project, candidate: Candidate): Promise<CoreMetadata> {
    if (candidate.kind === 'sdist' && this.#options.build !== undefined) {
      const path = await this.#options.build(candidate);
      const built = await withFileSource(path, candidate.file.file, (source) => metadataIn(source, candidate.file));
      return this.#checked(project, candidate.file, built);
    }
    const { file } = candidate;
    const cachePath = keptMetadata(this.#options.metadataFolder, file);
    const cached = cachePath !== undefined && existsSync(cachePath) ? readFileSync(cachePath, 'utf8') : undefined;
    const text = cached ?? (await this.#fetchMetadata(file));
    const metadata = this.#checked(project, file, text);
    if (cachePath !== undefined && cached === undefined) writeWhole(cachePath, text, cachePath);
    return metadata;
  }

  #checked(project: Project, file: IndexFile, text: string): CoreMetadata {
    const metadata = parseMetadata(text);
    if (metadata !== undefined && normalizeName(metadata.name) === project.name) return metadata;
    throw badWheel(file, `metadata of ${project.name}`, `metadata of ${printable(metadata?.name ?? 'nothing')}`);
  }

  async #fetchMetadata(file: IndexFile): Promise<string> {
    const { http, store } = this.#options;
    const doing = `reading the metadata of ${printable(file.file)}`;
    if (file.metadata !== undefined) {
      const expected = file.metadata === true ? undefined : file.metadata;
      const name = `${file.file}.metadata`;
      const stored =
        expected === undefined
          ? undefined
          : await store.get({ file: name, url: `${file.url}.metadata`, sha256: expected }, http);
      if (stored !== undefined) return readFileSync(stored.path, 'utf8');
      const fetched = await http.fetch({ url: `${file.url}.metadata`, maxBytes: MAX_METADATA_BYTES, doing });
      if (fetched !== NOT_FOUND) return fetched.bytes.toString('utf8');
    }
    const known = file.sha256 === undefined ? undefined : store.find(file.sha256);
    if (known === undefined && /^https?:/.test(file.url)) {
      const tail = await http.fetchTail({ url: file.url, maxBytes: TAIL_BYTES, doing }, TAIL_BYTES);
      const text = tail === undefined ? undefined : metadataInTail(tail.bytes, tail.size, file);
      if (text !== undefined) return text;
    }
    const { path } = known ?? (await store.get(file, http));
    return withFileSource(path, file.file, (source) => metadataIn(source, file));
  }
}

/**
 * Where the metadata of a wheel is kept. Which wheel it is of only the index says, and what it says of its own files must
 * not count for those of another: so its address is part of the name.
 */
function keptMetadata(folder: string, { sha256, url }: IndexFile): string | undefined {
  return sha256 === undefined ? undefined : join(folder, contentDigest(`${url}\n${sha256}`));
}

/** The sources that may serve a name: those that claim it, else those that claim no names. */
export function sourcesFor(name: string, sources: readonly PythonSource[]): PythonSource[] {
  const claiming = sources.filter(({ serves }) => serves?.some((pattern) => matches(pattern, name)) === true);
  return claiming.length > 0 ? claiming : sources.filter(({ serves }) => serves === undefined);
}

/** `fernhaven-*` matches `fernhaven-tides`; names are compared in normal form. */
function matches(pattern: string, name: string): boolean {
  const parts = pattern.split('*').map((part) => normalizeName(part).replace(/[.+^${}()|[\]\\?]/g, '\\$&'));
  return new RegExp(`^${parts.join('.*')}$`).test(name);
}

async function filesOf(source: PythonSource, name: string, http: HttpClient): Promise<IndexFile[] | undefined> {
  if (source.kind === 'index') return fetchProject(http, source.at, name);
  const all = source.kind === 'folder' ? filesInFolder(source.at) : await filesOnPage(source.at, http);
  return all.filter(({ file }) => parseWheelName(file)?.name === name || parseSdistName(file, name) !== undefined);
}

function filesInFolder(folder: string): IndexFile[] {
  return readdirSync(folder)
    .filter((file) => /\.(?:whl|tar\.gz)$/.test(file))
    .sort()
    .map((file) => ({ file, url: pathToFileURL(join(folder, file)).href }));
}

async function filesOnPage(url: string, http: HttpClient): Promise<IndexFile[]> {
  const doing = 'reading the page of links';
  const page = await http.fetch({ url, accept: 'text/html', maxBytes: 16 * 1024 * 1024, doing });
  return page === NOT_FOUND ? [] : readPage(page, doing);
}

class BeforeTail extends Error {}

/** The metadata, when the directory and the entry lie in the bytes at hand. */
function metadataInTail(bytes: Buffer, size: number, file: IndexFile): string | undefined {
  const start = size - bytes.length;
  const source: ByteSource = {
    size,
    read(offset, length) {
      if (offset < start) throw new BeforeTail();
      return bytes.subarray(offset - start, offset - start + length);
    },
  };
  try {
    return metadataIn(source, file);
  } catch (error) {
    if (error instanceof BeforeTail) return undefined;
    throw error;
  }
}

function metadataIn(source: ByteSource, file: IndexFile): string {
  const entry = findEntry(source, file.file, (path) => /^[^/]+\.dist-info\/METADATA$/.test(path));
  if (entry === undefined) throw badWheel(file, 'a file METADATA in its .dist-info folder', 'none');
  return Buffer.from(readEntry(source, entry, MAX_METADATA_BYTES)).toString('utf8');
}

function badWheel(file: IndexFile, expected: string, found: string): EmballageError {
  return new EmballageError('PACKAGE_INVALID', {
    doing: 'reading the metadata of a wheel',
    where: printable(file.file),
    expected,
    found,
    mend: 'ask who made the wheel, or exclude that version',
  });
}
