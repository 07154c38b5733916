/** Takes an artifact apart into what has weight, whatever its form; the parts of it together are all of it. */
import { statSync } from 'node:fs';
import { baseOf } from '../../base/paths';
import { withFileSource } from '../../disk/file-source';
import type { ByteSource } from '../../formats/byte-source';
import { readNative } from '../../formats/native';
import { listEntries, openZip, readEntry, type ZipArchive } from '../../formats/zip';
import { layerName } from '../../findings/image';
import { allWeighing, type Weighing } from '../../languages';
import type { Arch, Form } from '../../sheet';
import type { Waybill } from '../../waybill';
import { imageParts } from '../image/weigh';
import { kindsBy, type KindOf } from './kinds';
import { linkedParts } from './linked-parts';
import type { LayerGroup, Part, PartOwner } from '../../pipeline/weigh/model';
import { nativeParts, programParts } from './native-parts';
import { sourceOwners, type SourceOwner } from './source-owners';
import { BASE, FRAME, ownerByPath, ownersByRow, UNKNOWN } from './owners';
import { zipParts, type PlainPart } from './zip-parts';

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
  readonly form: Form;
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
  readonly kindOf: KindOf;
  readonly sourceOwner: SourceOwner;
}

export async function readParts(request: ReadPartsRequest, waybill: Waybill | undefined): Promise<ReadParts> {
  const { path, shown } = request;
  const languages = await allWeighing();
  const knowing = { waybill, kindOf: kindsBy(languages), sourceOwner: sourceOwners(waybill, languages) };
  if (mayBeImage(path)) {
    const { isImage } = await import('../image');
    if (await isImage(path, shown)) return readImageParts(request, knowing);
  }
  return withFileSource(path, shown, (source) => {
    if (readNative(source) !== undefined) return readNativeParts(request, source, knowing);
    const plain = zipParts(source.size, listEntries(source, shown));
    const opened = (): ZipArchive => openZip(source, shown);
    const ownerOf = waybill === undefined ? ownerByPath(languages, listedIn(source, opened(), languages)) : undefined;
    return {
      form: waybill?.form ?? (/\.jar$/i.test(path) ? 'jar' : 'zip'),
      size: source.size,
      files: countFiles(plain),
      parts: programParts(asParts(plain, knowing, ownerOf ?? (() => UNKNOWN)), knowing, (part, size) => {
        const entry = opened().entries.find((one) => one.path === part && one.size === size);
        return entry === undefined ? undefined : readEntry(source, entry, size);
      }),
      packedIsShared: false,
    };
  });
}

/** Images are folders or tar archives; what opens them is loaded only for those. */
function mayBeImage(path: string): boolean {
  const stat = statSync(path, { throwIfNoEntry: false });
  return stat?.isDirectory() === true || /\.tar$/i.test(path);
}

async function readImageParts(request: ReadPartsRequest, knowing: Knowing): Promise<ReadParts> {
  const { waybill } = knowing;
  const { path, shown, arch, scratch } = request;
  const { withImageSubject } = await import('../image');
  return withImageSubject({ path, shown, arch, scratch }, ({ image }) => {
    const blobs = [image.descriptor, image.manifest.config, ...image.manifest.layers];
    const size = blobs.reduce((sum, one) => sum + one.size, 0);
    const { parts, layers } = imageParts(image, size, (i) => layerName({ ...(waybill && { waybill }) }, i));
    const read = (part: string, size: number): Uint8Array | undefined => {
      const node = image.tree.node(part);
      return node?.head.kind === 'file' && node.head.size === size ? image.read(node, 0, size) : undefined;
    };
    const own = new Set(waybill?.image?.layers.map(({ name }) => name));
    const ownerOf = (_: string, layer: string | undefined): PartOwner =>
      waybill !== undefined && layer !== undefined && !own.has(layer) ? BASE : UNKNOWN;
    return Promise.resolve({
      ...{ form: 'image' as const, size, files: countFiles(parts), layers, packedIsShared: true },
      parts: programParts(asParts(parts, knowing, ownerOf), knowing, read),
    });
  });
}

function readNativeParts(request: ReadPartsRequest, source: ByteSource, { sourceOwner }: Knowing): ReadParts {
  const found = nativeParts(source, sourceOwner);
  const name = baseOf(request.path);
  const whole = { path: name, kind: 'native' as const, owner: UNKNOWN, unpacked: source.size, packed: source.size };
  return { form: 'binary', size: source.size, files: 1, parts: found ?? [whole], packedIsShared: false };
}

function countFiles(parts: readonly PlainPart[]): number {
  return parts.filter(({ kind }) => kind !== 'folder' && kind !== 'frame').length;
}

function asParts(
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

const MOST_LIST_BYTES = 16 * 1024 ** 2;

/** The package of each file, where files of the archive list what packages have. */
function listedIn(
  source: ByteSource,
  { entries }: ZipArchive,
  languages: readonly Weighing[],
): ReadonlyMap<string, string> {
  const read = (path: string, size: number): string => {
    const entry = size > MOST_LIST_BYTES ? undefined : entries.find((one) => one.path === path);
    try {
      return entry === undefined ? '' : Buffer.from(readEntry(source, entry, MOST_LIST_BYTES)).toString('utf8');
    } catch {
      // What cannot be read says nothing of its package.
      return '';
    }
  };
  return new Map(
    languages.flatMap(({ lists }) =>
      entries
        .filter(({ path }) => lists?.path.test(path))
        .flatMap(({ path, size }) => [...(lists?.read(path, read(path, size)) ?? [])]),
    ),
  );
}
