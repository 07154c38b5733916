/** What names become when packages are moved: of classes, of resources, and in texts that name either. */
import picomatch from 'picomatch';

/** One package that moves. Names with dots, `fernhaven.tide`. */
export interface Move {
  readonly from: string;
  readonly to: string;
  /** Patterns of names with dots, of classes that stay: `fernhaven.tide.api.**`. */
  readonly except: readonly string[];
  /** It moves only where it comes from certain JARs. */
  readonly isWithin?: boolean;
}

/** What is there to be named: classes and resources, by their paths without `.class`. */
export interface Named {
  hasClass(internal: string): boolean;
  hasResource(path: string): boolean;
  hasPackage(internal: string): boolean;
}

export class Relocation {
  readonly #moves: readonly { from: string; to: string; isWithin: boolean; stays: (name: string) => boolean }[];
  readonly #named: Named;
  readonly #only: ReadonlySet<string> | undefined;
  readonly #classes = new Map<string, string | undefined>();
  /** What has to stand in the bytes of a class for anything in it to move. */
  readonly needles: readonly Buffer[];

  /** @param only names of the classes that alone move; those of the packages in other JARs stay */
  constructor(moves: readonly Move[], named: Named, only?: readonly string[]) {
    this.#only = only === undefined ? undefined : new Set(only);
    this.#moves = moves
      .map(({ from, to, except, isWithin = false }) => ({
        isWithin,
        from: from.replaceAll('.', '/'),
        to: to.replaceAll('.', '/'),
        stays: except.length === 0 ? () => false : picomatch(except.map((one) => one.replaceAll('.', '/'))),
      }))
      // The longest fits best.
      .sort((a, b) => b.from.length - a.from.length || (a.from < b.from ? -1 : 1));
    this.#named = named;
    this.needles = [...new Set(this.#moves.flatMap(({ from }) => [from, from.replaceAll('/', '.')]))].map((text) =>
      Buffer.from(text),
    );
  }

  /** @param internal `old/pkg/Name`; @returns undefined where it stays */
  className(internal: string): string | undefined {
    if (this.#classes.has(internal)) return this.#classes.get(internal);
    const moved = this.#move(internal);
    this.#classes.set(internal, moved);
    return moved;
  }

  /** Path of a file in the archive: a class, or what lies in a package. */
  path(path: string): string {
    const bare = path.endsWith('.class') ? path.slice(0, -'.class'.length) : path;
    const moved = this.#move(bare);
    return moved === undefined ? path : moved + path.slice(bare.length);
  }

  /**
   * A text that is, as a whole, the name of a class, resource or package that moves, in any of the ways in which code
   * writes these. Other texts stay, even when the name of a package stands in them.
   */
  text(text: string): string {
    // What is put together when the code runs has marks where the parts go.
    if (/[\u0001\u0002]/.test(text))
      return text
        .split(/([\u0001\u0002])/)
        .map((part) => this.#plainText(part))
        .join('');
    return this.#plainText(text);
  }

  #plainText(text: string): string {
    const [, before = '', name = '', after = ''] = /^((?:\[+L|L|\/)?)([^\s;:[\]()<>,"']+)(;?)$/.exec(text) ?? [];
    if (name === '' || (after === ';') !== before.endsWith('L')) return text;
    const dots = name.includes('.') && !name.includes('/');
    const internal = dots ? name.replaceAll('.', '/') : name;
    if (!this.#isNamed(internal, dots, name)) return text;
    const moved = this.#move(internal);
    if (moved === undefined) return text;
    return before + (dots ? moved.replaceAll('/', '.') : moved) + after;
  }

  #isNamed(internal: string, dots: boolean, text: string): boolean {
    const folder = internal.replace(/\/$/, '');
    // A single word is as likely to be a word.
    if (!/[./]/.test(text)) return false;
    return (
      this.#named.hasClass(internal.replace(/\.class$/, '')) ||
      this.#named.hasPackage(folder) ||
      (!dots && this.#named.hasResource(internal)) ||
      // `old.pkg.messages` names `old/pkg/messages.properties` (java.util.ResourceBundle).
      this.#named.hasResource(`${internal}.properties`)
    );
  }

  #move(internal: string): string | undefined {
    for (const { from, to, stays, isWithin } of this.#moves) {
      if (!internal.startsWith(from) || (internal.length > from.length && internal[from.length] !== '/')) continue;
      if (isWithin && !this.#isOnlyThere(internal)) return undefined;
      return stays(internal) ? undefined : to + internal.slice(from.length);
    }
    return undefined;
  }

  #isOnlyThere(internal: string): boolean {
    return this.#only?.has(internal) === true || this.#named.hasPackage(internal);
  }
}
