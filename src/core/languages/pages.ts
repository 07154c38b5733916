/** What a language has a stand-in index serve. */
import type { Machine } from '../toolchains/machine';

/** What a stand-in index serves of a language's packages. Loaded when one is started. */
export interface PagesKind {
  /** What it takes from the folder it serves, for help. */
  readonly about: string;
  open(machine: Machine): Promise<Pages>;
}

/** How a stand-in index may be told to misbehave in what a page says. */
export type PageFault = 'wrong-digest' | 'wrong-size' | 'html-only' | 'html-as-json';

export interface PageRequest {
  /** Decoded, from `/` on. */
  readonly path: string;
  readonly accept: string;
  /** Address of the index, without a slash at its end. */
  readonly base: string;
  readonly fault: PageFault | undefined;
}

export type Page =
  /** `isTagged`: it can be asked whether it changed. */
  | { readonly kind: 'text'; readonly type: string; readonly body: string; readonly isTagged: boolean }
  | { readonly kind: 'file'; readonly bytes: Buffer };

export interface Pages {
  /** Takes a project or file of the served folder that is of its kind. @returns whether it did */
  take(folder: string, shown: string, name: string): boolean;
  /** The page at a path; undefined where there is none. */
  page(request: PageRequest): Promise<Page | undefined>;
  /** What it has to offer, for people and programs. @param base address of the index */
  offer(base: string): Offer;
}

export interface Offer {
  /** Key of its address in the document, `npmUrl`. */
  readonly key: string;
  readonly url: string;
  readonly projects: readonly string[];
  readonly files: number;
  /** A line about it, where it has something: `npm packages at …` without the address. */
  readonly line: string | undefined;
  /** How to name it: where, and the words. */
  readonly naming: readonly [where: string, words: string] | undefined;
}
