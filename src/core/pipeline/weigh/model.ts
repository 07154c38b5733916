/** What weighing an artifact comes to. All weights are bytes. */
import type { Gauge } from '../../findings/rule';
import type { Form } from '../../sheet';
import type { Owner, ReasonGraph } from '../../waybill';
import type { LeftOutGroup } from '../explain';

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

export interface DependencyGroup extends Group {
  readonly key: string;
  readonly kind: PartOwner['kind'];
  /** What would go if it went: its own, and what only it leads to. Undefined where nothing is known of reasons. */
  readonly alone?: Weight;
  /** What it leads to and others do too. */
  readonly shared?: Weight;
  /** Who asks for it. */
  readonly by?: readonly string[];
}

/** Something that could still go. */
export interface Saving {
  /** `trim`, `strip`, `duplicates`, … */
  readonly what: string;
  readonly about: string;
  /** Bytes, unpacked, that it would save; undefined where only trying tells. */
  readonly unpacked?: number;
  /** The line of the sheet to write; undefined where there is none. */
  readonly line?: string;
}

export interface NamedGauge extends Gauge {
  /** `packed`, `unpacked`, `files`. */
  readonly name: string;
}

/** A layer of an image, with what it holds that upper ones hide. */
export interface LayerGroup extends Group {
  readonly wasted: number;
}

export interface Weighed {
  /** `surge-alert`, or the file's name. */
  readonly name: string;
  readonly arch?: string;
  /** As shown to people. */
  readonly artifact: string;
  readonly form: Form;
  readonly sha256?: string;
  readonly total: Weight;
  /** Files, without folders. */
  readonly files: number;
  /** Whether origins and reasons are known; otherwise it was made by somebody else, or its waybill is of another. */
  readonly origins: 'known' | 'no-waybill' | 'other-waybill';
  /** The packed weights of single parts are shares of what holds them. */
  readonly packedIsShared: boolean;
  readonly parts: readonly Part[];
  readonly dependencies: readonly DependencyGroup[];
  /** Folders; packages of a JAR; sections of an executable. */
  readonly places: readonly Group[];
  readonly kinds: readonly Group[];
  /** Executables whose symbols are there: packages of source. */
  readonly sources?: readonly Group[];
  /** Images. */
  readonly layers?: readonly LayerGroup[];
  readonly limits: readonly NamedGauge[];
  readonly trimmed: readonly LeftOutGroup[];
  readonly savings: readonly Saving[];
  readonly graph?: ReasonGraph;
}
