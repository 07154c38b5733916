/** What artifacts are taken apart into. All weights are bytes. */
import type { Owner } from '../../waybill';

export const KINDS_OF_PART = ['code', 'native', 'data', 'metadata'] as const;
export type PartKind = (typeof KINDS_OF_PART)[number];

/** Whose a part is; `base`: what an image stands on; `frame`: what the form itself needs; `unknown`: nobody says. */
export interface PartOwner {
  readonly kind: Owner['kind'] | 'base' | 'frame' | 'unknown';
  /** As shown: `tidelines 3.1.0`. */
  readonly title: string;
  readonly key: string;
}

/** One thing that has weight: a file, or what is inside one. */
export interface Part {
  readonly path: string;
  /** The file that it is inside of: a linked file, an executable. */
  readonly inside?: string;
  /** Of an executable: the section that it is in, and the source package that a symbol says it comes from. */
  readonly section?: string;
  readonly source?: string;
  readonly kind: PartKind;
  readonly owner: PartOwner;
  /** Images: the layer that it lies in. */
  readonly layer?: string;
  readonly unpacked: number;
  /** Bytes of the artifact that are spent on it, with its headers. */
  readonly packed: number;
  /** Its row in the waybill. */
  readonly row?: number;
}

export interface Weight {
  readonly unpacked: number;
  readonly packed: number;
}

/** Parts that have something in common. */
export interface Group extends Weight {
  readonly name: string;
  readonly files: number;
}

/** A layer of an image, with what it holds that upper ones hide. */
export interface LayerGroup extends Group {
  readonly wasted: number;
}
