/** The licence of a package, from what its publisher states and from the texts that it brings. */
import { either, readExpression } from '../../formats/licence-expression';
import { licencesIn } from './texts';

export interface PackageText {
  /** Path in the package's file. */
  readonly path: string;
  readonly text: string;
}

/** What a publisher states, as the metadata of an ecosystem has it. */
export interface StatedLicence {
  /** Expressions, names or addresses; of several one may be chosen. */
  readonly written: readonly string[];
  /** Where it stands. */
  readonly at: string;
}

export interface PackageLicence {
  /** Undefined where nobody can tell. */
  readonly expression?: string;
  /** What the publisher wrote, where that is no expression; fit for printing. */
  readonly written?: string;
  /** Where it stands: a file of the package, or `lock`. */
  readonly at?: string;
  /** Paths in the package's file of the texts that are to travel with it. */
  readonly texts: readonly string[];
}

const TEXT_FILE =
  /(?:^|\/)(?:[\w.-]{1,40}[-_.])?(?:un)?(?:licen[cs]es?|copying|notice|copyright)(?:[-_.][\w.-]{1,40})?$/i;
const IN_FOLDER = /(?:^|\/)licen[cs]es?\/[^/]+$/i;
const IS_TEXT = /\.(?:txt|md|rst|markdown|text|apache|mit|bsd|lesser|\d[\w.]*)$/i;

/** Whether a file is the text of a licence, or a notice that goes with it. */
export function isLicenceText(path: string): boolean {
  const name = path.slice(path.lastIndexOf('/') + 1);
  return (TEXT_FILE.test(path) || IN_FOLDER.test(path)) && (!name.includes('.') || IS_TEXT.test(name));
}

const SHOWN_LETTERS = 80;

/** @param texts of the package: those of its licence among them */
export function packageLicence(stated: StatedLicence | undefined, texts: readonly PackageText[]): PackageLicence {
  const own = texts.filter(({ path }) => isLicenceText(path));
  const paths = own.map(({ path }) => path).sort();
  const written = stated?.written.filter((one) => one.trim() !== '') ?? [];
  const expressions = written.map((one) => readExpression(one) ?? licencesIn(one));
  if (stated !== undefined && written.length > 0 && expressions.every((one) => one !== undefined))
    return { expression: either(expressions), at: stated.at, texts: paths };
  // What nobody states is in the text itself; of several the one that lies highest is about all of it.
  const [top] = [...own].sort((a, b) => depthOf(a.path) - depthOf(b.path) || (a.path < b.path ? -1 : 1));
  for (const { path, text } of top === undefined ? [] : own.filter((one) => depthOf(one.path) === depthOf(top.path))) {
    const expression = licencesIn(text);
    if (expression !== undefined) return { expression, at: path, texts: paths };
  }
  const [first] = written;
  return {
    ...(first !== undefined && { written: first.replace(/\s+/g, ' ').slice(0, SHOWN_LETTERS) }),
    ...(stated !== undefined && { at: stated.at }),
    texts: paths,
  };
}

function depthOf(path: string): number {
  return path.split('/').length;
}
