/** How a form is held against itself, where the open formats that it is made of do not tell what differs. */
import type { Comparing, Looked } from './comparing';
import type { Content, Tree } from './model';

/** An artifact of the form, taken for one side. */
export interface FormSide {
  /** What it is, as shown: `image`. */
  readonly as: string;
  /** Bytes, as it is sent. */
  readonly size: number;
  /** What it is known by, however it lies there; by its bytes without. */
  readonly digest?: string;
  /** As a tree of files, to be held against something of another kind. */
  readonly tree?: () => Tree;
}

export interface FormSides<Side extends FormSide = FormSide> {
  /** @param path absolute, of a folder @returns undefined where it is none of this form */
  ofFolder(path: string, shown: string): Side | undefined;
  /** @returns undefined where it is none of this form */
  ofContent(content: Content): Side | undefined;
  /** @param where path of what is looked into, '' for the whole */
  compare(a: Side, b: Side, comparing: Comparing, where: string): Looked;
}
