/**
 * What the last whole link of a function came to: with it, a module whose text has changed but whose shape has not can be
 * put into the linked file again without tracing anything. It stays as it is until there is a whole link again.
 */
import { existsSync, readFileSync } from 'node:fs';
import { contentDigest } from '../../../disk/digest';
import { writeWhole } from '../../../disk/write';
import type { MissingImport, Reason, Trimmed, UnseenImport } from '../../../fileset/model';
import type { SharedResults, StateFolder } from '../../../project/state/state';
import type { NodeAssembleRequest } from '../assemble/assembly';
import type { Frame } from './parts';

/** Changed when the same modules come to be traced or linked differently. */
const LINK_VERSION = '4';

export interface LinkRecord {
  /** What the link depends on besides the texts of the function's own files. */
  readonly key: string;
  /** SHA-256 of the function's own files, in the order of the request. */
  readonly digests: readonly string[];
  /** Of each of the function's own modules that was read: its format as its package states it, and its shape. */
  readonly shapes: Readonly<Record<string, readonly [format: 'esm' | 'cjs' | '', shape: string]>>;
  /** Of the same modules: the lines in which they ask for something. */
  readonly lines: Readonly<Record<string, readonly number[]>>;
  readonly frames: readonly Frame[];
  /** Parts of the linked files, in their order. */
  readonly sections: readonly RecordedSection[];
  readonly result: LinkResult;
}

export interface RecordedSection {
  /** Path of the module. */
  readonly path: string;
  /** Which of the linked files it stands in. */
  readonly file: number;
  /** Its plan, JSON: few of them are ever needed again. */
  readonly plan: string;
  readonly text: string;
  /** Its source map, JSON; '' for none. */
  readonly map: string;
}

/** Who asks for what, as lists. */
export interface RecordedAsks {
  readonly files: readonly (readonly [by: string, asked: RecordedAsked])[];
  readonly together: readonly { readonly by: RecordedAsked; readonly for: readonly string[] }[];
}

type RecordedAsked = readonly (readonly [path: string, line: number])[];

/** What was assembled, with files by their paths. */
export interface LinkResult {
  /** What is packed beside the linked files. */
  readonly placed: readonly { readonly path: string; readonly file: string; readonly reason: Reason }[];
  readonly trimmed: readonly Trimmed[];
  readonly dropped: readonly string[];
  readonly unseen: readonly UnseenImport[];
  readonly missing: readonly MissingImport[];
  readonly edges: RecordedAsks;
  readonly linked: readonly {
    readonly file: string;
    readonly reason: Reason;
    readonly settings: readonly { readonly name: string; readonly line: number; readonly hasDefault: boolean }[];
    readonly packages: readonly string[];
  }[];
  readonly entryFile: string;
}

export class LinkMemory {
  readonly #path: string;
  readonly #tool: string;
  readonly #shared: SharedResults;
  #key: string | undefined;

  /**
   * @param path absolute path of the file, which need not be there
   * @param state whose code may link differently than others, and what other machines made
   */
  constructor(path: string, { code, shared }: Pick<StateFolder, 'code' | 'shared'>) {
    this.#path = path;
    this.#tool = code;
    this.#shared = shared;
  }

  /** Brings what another machine linked last, where nothing was linked here yet. */
  async bring(request: NodeAssembleRequest): Promise<void> {
    if (!existsSync(this.#path)) await this.#shared.fetch('link', this.keyOf(request), { record: this.#path });
  }

  /** The last link, where it was one of the same files under the same settings. */
  find(request: NodeAssembleRequest): LinkRecord | undefined {
    let text: string;
    try {
      text = readFileSync(this.#path, 'utf8');
    } catch {
      return undefined;
    }
    // The key comes first, so that what is of no use need not be parsed.
    if (!text.startsWith(`{"key":"${this.keyOf(request)}",`)) return undefined;
    try {
      return parseRecord(text);
    } catch {
      return undefined;
    }
  }

  keep(record: LinkRecord): void {
    try {
      writeWhole(this.#path, formatRecord(record), this.#path);
      this.#shared.offer('link', record.key, { record: this.#path });
    } catch {
      // Without it everything is linked again.
    }
  }

  keyOf(request: NodeAssembleRequest): string {
    return (this.#key ??= contentDigest(
      JSON.stringify([
        ...[LINK_VERSION, this.#tool],
        ...[request.trim, request.entry, request.cpu, request.libc, request.requiresEsm, request.nodeEnv ?? null],
        ...[request.isStrict, request.asked, request.minify, request.sourcemap],
        request.sourcemap === 'none' ? '' : request.files.map(({ path }) => request.sourceName(path)),
        request.compiler === undefined ? null : [request.compiler.identity, request.compiler.options],
        request.files.map(({ path, owner, isOwn, sha256 }) => [
          ...[path, owner, request.keptBy(path) ?? 0],
          isOwn ? 0 : sha256(),
        ]),
      ]),
    ));
  }
}

/** What is not locked would have to be read for its digest. */
export function canBeRemembered({ link, files }: NodeAssembleRequest): boolean {
  return link && !files.some(({ isInstalled }) => isInstalled === true);
}

/** A line of JSON, then the texts of all sections as they are: few of them have to be looked at again. */
function formatRecord({ sections, ...rest }: LinkRecord): string {
  const places = sections.map(({ path, file, plan, text, map }) => [path, file, plan.length, text.length, map.length]);
  const texts = sections.map(({ plan, text, map }) => plan + text + map);
  return `${JSON.stringify({ ...rest, places })}\n${texts.join('')}`;
}

type Places = readonly (readonly [path: string, file: number, plan: number, text: number, map: number])[];

/** @returns undefined where some of it is not there */
function parseRecord(text: string): LinkRecord | undefined {
  const end = text.indexOf('\n');
  const { places, ...rest } = JSON.parse(text.slice(0, end)) as Omit<LinkRecord, 'sections'> & {
    readonly places: Places;
  };
  let at = end + 1;
  const next = (length: number): string => text.slice(at, (at += length));
  const sections = places.map(([path, file, plan, own, map]) => ({
    path,
    file,
    plan: next(plan),
    text: next(own),
    map: next(map),
  }));
  return at === text.length ? { ...rest, sections } : undefined;
}
