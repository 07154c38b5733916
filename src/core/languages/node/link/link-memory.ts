/**
 * What the last whole link of a function came to: with it, a module whose text has changed but whose shape has not can be
 * put into the linked file again without tracing anything. It stays as it is until there is a whole link again.
 */
import { readFileSync } from 'node:fs';
import { contentDigest } from '../../../disk/digest';
import { writeWhole } from '../../../disk/write';
import type { MissingImport, Reason, Trimmed, UnseenImport } from '../../../fileset/model';
import type { NodeAssembleRequest } from '../assembly';

/** Changed when the same modules come to be traced or linked differently. */
const LINK_VERSION = '2';

export interface LinkRecord {
  /** What the link depends on besides the texts of the function's own files. */
  readonly key: string;
  /** SHA-256 of the function's own files, in the order of the request. */
  readonly digests: readonly string[];
  /** Of each of the function's own modules that was read: its format as its package states it, and its shape. */
  readonly shapes: Readonly<Record<string, readonly [format: 'esm' | 'cjs' | '', shape: string]>>;
  /** The linked files. */
  readonly texts: readonly string[];
  /** Where each module stands in them, in their order. */
  readonly sections: readonly (readonly [file: number, start: number, end: number, path: string])[];
  /** The plan of each section, JSON: few of them are ever needed again. */
  readonly plans: readonly string[];
  readonly result: LinkResult;
}

/** What was assembled, with files by their paths. */
export interface LinkResult {
  /** The linked files come first, in their order. */
  readonly placed: readonly { readonly path: string; readonly file?: string; readonly reason: Reason }[];
  readonly trimmed: readonly Trimmed[];
  readonly dropped: readonly string[];
  readonly unseen: readonly UnseenImport[];
  readonly missing: readonly MissingImport[];
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
  #key: string | undefined;

  /**
   * @param path absolute path of the file, which need not be there
   * @param tool name and version of the program, whose other versions may link differently
   */
  constructor(path: string, tool: string) {
    this.#path = path;
    this.#tool = tool;
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
    } catch {
      // Without it everything is linked again.
    }
  }

  keyOf(request: NodeAssembleRequest): string {
    return (this.#key ??= contentDigest(
      JSON.stringify([
        ...[LINK_VERSION, this.#tool],
        ...[request.trim, request.entry, request.cpu, request.libc, request.requiresEsm, request.nodeEnv ?? null],
        ...[request.isStrict, request.asked],
        request.compiler === undefined ? null : [request.compiler.identity, request.compiler.options],
        request.files.map(({ path, owner, isOwn, sha256 }) => [
          ...[path, owner, request.keptBy(path) ?? 0],
          isOwn ? 0 : sha256(),
        ]),
      ]),
    ));
  }
}

/** Small and mapped forms are made of the whole file; what is not locked would have to be read for its digest. */
export function canBeRemembered({ link, minify, sourcemap, files }: NodeAssembleRequest): boolean {
  return link && !minify && sourcemap === 'none' && !files.some(({ isInstalled }) => isInstalled === true);
}

/** A line of JSON, the plans in a line each, then the linked files as they are. */
function formatRecord({ texts, plans, ...rest }: LinkRecord): string {
  const all = [plans.join('\n'), ...texts];
  return `${JSON.stringify({ ...rest, lengths: all.map(({ length }) => length) })}\n${all.join('')}`;
}

/** @returns undefined where some of it is not there */
function parseRecord(text: string): LinkRecord | undefined {
  const end = text.indexOf('\n');
  const { lengths, ...rest } = JSON.parse(text.slice(0, end)) as Omit<LinkRecord, 'texts' | 'plans'> & {
    readonly lengths: readonly number[];
  };
  let at = end + 1;
  const [plans = '', ...texts] = lengths.map((length) => text.slice(at, (at += length)));
  return at === text.length ? { ...rest, plans: plans.split('\n'), texts } : undefined;
}
