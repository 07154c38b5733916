/** The parts of an artifact, whatever its form: together they are all of it. */
import { allWeighing, type Weighing } from '../../languages';
import type { Arch } from '../../sheet';
import type { Waybill } from '../../waybill';
import { kindsBy, type KindOf } from './kinds';
import { linkedParts } from './linked-parts';
import type { LayerGroup, Part, PartOwner } from './model';
import { FRAME, ownersByRow } from './owners';
import { sourceOwners, type SourceOwner } from './source-owners';
import type { PlainPart } from './zip-parts';

export interface ReadPartsRequest {
  /** Absolute path, and the name for messages. */
  readonly path: string;
  readonly shown: string;
  /** Of a layout with several images. */
  readonly arch?: Arch;
  /** Absolute path of a folder for layers of images while they are looked at; the caller removes it. */
  readonly scratch: string;
}

export interface ReadParts {
  /** Bytes of the artifact. */
  readonly size: number;
  /** Without folders. */
  readonly files: number;
  readonly parts: readonly Part[];
  readonly layers?: readonly LayerGroup[];
  readonly packedIsShared: boolean;
}

/** What is known of files before any is looked at. */
export interface Knowing {
  readonly waybill: Waybill | undefined;
  readonly languages: readonly Weighing[];
  readonly kindOf: KindOf;
  readonly sourceOwner: SourceOwner;
}

/** @param waybill of the artifact, where that is known */
export async function knowingOf(waybill: Waybill | undefined): Promise<Knowing> {
  const languages = await allWeighing();
  return { waybill, languages, kindOf: kindsBy(languages), sourceOwner: sourceOwners(waybill, languages) };
}

/** Without folders and what holds them together. */
export function countFiles(parts: readonly PlainPart[]): number {
  return parts.filter(({ kind }) => kind !== 'folder' && kind !== 'frame').length;
}

/**
 * Weights with whose they are.
 * @param otherwise whose a part is of which no waybill tells
 */
export function asParts(
  plain: readonly PlainPart[],
  { waybill, kindOf }: Knowing,
  otherwise: (path: string, layer: string | undefined) => PartOwner,
): Part[] {
  const owners = waybill === undefined ? [] : ownersByRow(waybill);
  const rows = new Map(waybill?.files.map(({ path, layer }, row) => [placeOf(path, layer), row]));
  const parts = plain.map((one): Part => {
    const { path, unpacked, packed, layer } = one;
    const row = rows.get(placeOf(path, layer));
    const isFrame = one.kind === 'frame';
    const owner = isFrame ? FRAME : ((row === undefined ? undefined : owners[row]) ?? otherwise(path, layer));
    const kind = isFrame ? 'metadata' : kindOf(path, one.isProgram);
    // Written out: there are tens of thousands.
    if (layer !== undefined) return { path, unpacked, packed, owner, kind, layer, ...(row !== undefined && { row }) };
    return row === undefined ? { path, unpacked, packed, owner, kind } : { path, unpacked, packed, owner, kind, row };
  });
  return waybill === undefined ? parts : linkedParts(parts, waybill, owners, kindOf);
}

function placeOf(path: string, layer: string | undefined): string {
  return layer === undefined ? path : `${layer}\0${path}`;
}
