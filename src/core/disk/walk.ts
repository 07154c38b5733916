/** Walks a folder in a fixed order, following links where asked, and says what stands there. Reads no file. */
import { lstatSync, readdirSync, readlinkSync, realpathSync, statSync, type Dirent, type Stats } from 'node:fs';
import { join, relative, sep } from 'node:path';
import { EmballageError, messageOf, systemCode } from '../base/errors';
import { joinPath, linkStaysInside } from '../base/paths';
import { count, printable } from '../base/text';
import { stampOf, type Stamp } from './stamp';

export interface WalkedItem {
  /** Relative to the walked folder. */
  readonly path: string;
  readonly kind: 'file' | 'folder' | 'link';
  readonly mode: number;
  readonly stamp: Stamp;
  /** Absolute path of the content. */
  readonly source: string;
  /** What a link that is kept points to. */
  readonly target?: string;
  /** The link through which this was reached. */
  readonly throughLink?: string;
  /** For folders: whether there is nothing in them. */
  readonly empty?: boolean;
}

export interface WalkOptions {
  readonly links: 'follow' | 'keep';
  /** Whether to go into a folder. Paths are relative to the walked folder. */
  enter(path: string, name: string): boolean;
  /** Whether a file, or a link or anything else that is no folder, is wanted at all. */
  take(path: string, name: string): boolean;
}

/** A folder that was gone into, as it looked just before it was read. */
export interface WalkedFolder {
  /** Relative to the walked folder, '' for that itself. */
  readonly path: string;
  readonly stamp: Stamp;
}

export interface Walk {
  readonly items: readonly WalkedItem[];
  readonly folders: readonly WalkedFolder[];
  /** Whether a symbolic link was met, so that what lies elsewhere counts too. */
  readonly hasLinks: boolean;
  /** What cannot be packed, each a sentence. */
  readonly refused: readonly string[];
}

/** More than any artifact holds; reached only by links that fan out, or by naming the wrong folder. */
const MAX_ITEMS = 1_000_000;

/**
 * @param root absolute path of the folder
 * @param shown its name for messages
 * @throws EmballageError where a folder cannot be read
 */
export function walkFolder(root: string, shown: string, options: WalkOptions): Walk {
  return new Walker(root, shown, options).run();
}

class Walker {
  readonly #items: WalkedItem[] = [];
  readonly #refused: string[] = [];
  readonly #folders: WalkedFolder[] = [];
  #hasLinks = false;
  readonly #root: string;
  readonly #shown: string;
  readonly #options: WalkOptions;
  #realRoot: string | undefined;

  constructor(root: string, shown: string, options: WalkOptions) {
    this.#root = root;
    this.#shown = shown;
    this.#options = options;
  }

  run(): Walk {
    this.#folder('', this.#root, undefined, []);
    return { items: this.#items, folders: this.#folders, hasLinks: this.#hasLinks, refused: this.#refused };
  }

  /** @param above real paths of the folders reached through links on the way here */
  #folder(path: string, source: string, throughLink: string | undefined, above: readonly string[]): void {
    const stat = this.#stat(path, () => lstatSync(source));
    this.#folders.push({ path, stamp: stampOf(stat) });
    const entries = this.#list(path, source);
    if (path !== '') this.#pushFolder(path, source, entries.length === 0, throughLink);
    for (const entry of entries) {
      const below = path === '' ? entry.name : `${path}/${entry.name}`;
      const at = `${source}/${entry.name}`;
      if (entry.name.includes('\ufffd') && this.#isNotUtf8(source, entry.name)) {
        this.#refused.push(`${printable(below)}: its name is not UTF-8; rename it`);
      } else if (entry.isDirectory()) {
        if (this.#options.enter(below, entry.name)) this.#folder(below, at, throughLink, above);
      } else if (!this.#options.take(below, entry.name)) continue;
      else if (entry.isFile()) this.#file(below, at, throughLink);
      else if (entry.isSymbolicLink()) this.#link(below, at, throughLink, above);
      else this.#refused.push(`${printable(below)}: it is a ${typeOf(entry)}, which cannot be packed; leave it out`);
    }
  }

  #list(path: string, source: string): Dirent[] {
    try {
      const entries = readdirSync(source, { withFileTypes: true });
      return entries.sort((a, b) => (a.name < b.name ? -1 : 1));
    } catch (error) {
      throw this.#unreadable(path, error);
    }
  }

  /** The text decoder puts U+FFFD for bytes that are not UTF-8, but a name may also hold that character. */
  #isNotUtf8(source: string, name: string): boolean {
    return !readdirSync(source, { encoding: 'buffer' }).some((bytes) => bytes.equals(Buffer.from(name)));
  }

  #file(path: string, source: string, throughLink: string | undefined): void {
    const stat = this.#stat(path, () => lstatSync(source));
    this.#push({
      path,
      kind: 'file',
      mode: stat.mode,
      stamp: stampOf(stat),
      source,
      ...(throughLink !== undefined && { throughLink }),
    });
  }

  #pushFolder(path: string, source: string, empty: boolean, throughLink: string | undefined): void {
    // Times of folders change with everything in them; that they are there is all that counts.
    const stamp = { size: 0, mtimeMs: 0, ctimeMs: 0, ino: 0 };
    this.#push({
      path,
      kind: 'folder',
      mode: 0o755,
      stamp,
      source,
      empty,
      ...(throughLink !== undefined && { throughLink }),
    });
  }

  #link(path: string, source: string, throughLink: string | undefined, above: readonly string[]): void {
    this.#hasLinks = true;
    const target = readlinkSync(source);
    const names = `${printable(path)}: a link to ${printable(target)}`;
    const real = this.#realTarget(source);
    if (real === undefined) {
      this.#refused.push(`${names}, where nothing is; mend it or leave it out`);
      return;
    }
    this.#realRoot ??= realpathSync(this.#root);
    const away = relative(this.#realRoot, real);
    if (away === '..' || away.startsWith(`..${sep}`)) {
      this.#refused.push(`${names}, which leaves the source folder; copy what it points to, or leave it out`);
      return;
    }
    if (this.#options.links === 'keep') this.#keepLink(path, source, target, names);
    else this.#followLink(path, real, throughLink ?? path, above, names);
  }

  #keepLink(path: string, source: string, target: string, names: string): void {
    if (!linkStaysInside(path, target)) {
      this.#refused.push(`${names}, which is no relative path inside the source folder; mend it, or follow links`);
      return;
    }
    const stat = lstatSync(source);
    this.#push({ path, kind: 'link', mode: 0o777, stamp: stampOf(stat), source, target });
  }

  #followLink(path: string, real: string, throughLink: string, above: readonly string[], names: string): void {
    const stat = this.#stat(path, () => statSync(real));
    if (stat.isDirectory()) {
      const here = realpathSync(join(this.#root, path, '..'));
      if (above.includes(real) || here === real || here.startsWith(real + sep))
        this.#refused.push(`${names}, which contains itself; leave it out`);
      else if (this.#options.enter(path, path.slice(path.lastIndexOf('/') + 1)))
        this.#folder(path, real, throughLink, [...above, real]);
    } else if (stat.isFile()) {
      this.#push({ path, kind: 'file', mode: stat.mode, stamp: stampOf(stat), source: real, throughLink });
    } else this.#refused.push(`${names}, a ${typeOf(stat)}, which cannot be packed; leave it out`);
  }

  #realTarget(source: string): string | undefined {
    try {
      return realpathSync(source);
    } catch {
      return undefined;
    }
  }

  #stat(path: string, look: () => Stats): Stats {
    try {
      return look();
    } catch (error) {
      throw this.#unreadable(path, error);
    }
  }

  #push(item: WalkedItem): void {
    this.#items.push(item);
    if (this.#items.length <= MAX_ITEMS) return;
    throw new EmballageError('SOURCE_UNPACKABLE', {
      doing: 'collecting the source',
      where: this.#shown,
      expected: `at most ${count(MAX_ITEMS, 'file')}`,
      found: 'more than that',
      mend: 'name the function’s own folder as its source, or leave folders out',
    });
  }

  #unreadable(path: string, error: unknown): EmballageError {
    const gone = systemCode(error) === 'ENOENT';
    return new EmballageError(
      gone ? 'FILE_CHANGED' : 'FILE_UNREADABLE',
      {
        doing: 'collecting the source',
        where: printable(joinPath(this.#shown, path)),
        expected: 'a folder that can be read',
        found: gone ? 'nothing: it is gone, or vanished while it was read' : messageOf(error),
        mend: gone ? 'put it back, then build again' : 'give yourself permission to read it, or leave it out',
      },
      error,
    );
  }
}

function typeOf(entry: Dirent | Stats): string {
  if (entry.isSocket()) return 'socket';
  if (entry.isFIFO()) return 'named pipe';
  return entry.isBlockDevice() || entry.isCharacterDevice() ? 'device' : 'special file';
}
