/** What weighing an artifact comes to. All weights are bytes. */
import type { Gauge } from '../../findings/rule';
import type { Group, LayerGroup, Part, PartOwner, Weight } from '../../forms/weighing';
import type { FormId } from '../../sheet';
import type { ReasonGraph } from '../../waybill';
import type { LeftOutGroup } from '../explain';

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

export interface Weighed {
  /** `surge-alert`, or the file's name. */
  readonly name: string;
  readonly arch?: string;
  /** As shown to people. */
  readonly artifact: string;
  readonly form: FormId;
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

export {
  KINDS_OF_PART,
  type Group,
  type LayerGroup,
  type Part,
  type PartKind,
  type PartOwner,
  type Weight,
} from '../../forms/weighing';
