/** An image as rules see it: its working folder like any other artifact, and all of it beside. */
import { statSync } from 'node:fs';
import { join } from 'node:path';
import { EmballageError } from '../../base/errors';
import { listed, printable } from '../../base/text';
import { openLayout } from '../../disk/unpack/layout-files';
import { openImage, type OpenImage } from '../../disk/unpack/open-image';
import { withFileSource } from '../../disk/file-source';
import {
  archOfPlatform,
  badImage,
  LAYOUT_FILE,
  manifestsOf,
  readDocuments,
  type ImageDocuments,
  type ImageLayout,
} from '../../formats/oci';
import { stretches } from '../../formats/byte-source';
import { BLOCK_BYTES, listTar } from '../../formats/tar';
import { workingFolder } from '../../findings/image';
import type { Subject, SubjectEntry } from '../../findings/rule';
import type { Arch, FormFacts } from '../../sheet';
import { textReader } from '../../findings/texts';
import type { OpenRequest } from '../form';
import { layerMemory } from './layer-memory';

/** A layout says what it is among its first files. */
const LOOK_AT_ENTRIES = 64;

/** Whether something on disk is an image layout, as a folder or as one tar archive. */
export async function isImage(path: string, shown: string): Promise<boolean> {
  const stat = statSync(path, { throwIfNoEntry: false });
  if (stat?.isDirectory() === true)
    return statSync(join(path, LAYOUT_FILE), { throwIfNoEntry: false })?.isFile() === true;
  if (stat?.isFile() !== true || stat.size < BLOCK_BYTES) return false;
  return withFileSource(path, shown, (source) => {
    if (Buffer.from(source.read(257, 5)).toString('latin1') !== 'ustar') return false;
    let looked = 0;
    for (const { head } of listTar(source, shown)) {
      if (head.path === LAYOUT_FILE) return true;
      if (++looked >= LOOK_AT_ENTRIES) return false;
    }
    return false;
  });
}

/**
 * The image of a layout for an architecture; the only one where there is one.
 * @throws EmballageError where it holds several and none is for it
 */
export function chooseImage(layout: ImageLayout, arch: Arch | undefined): ImageDocuments {
  const all = manifestsOf(layout, layout.index).map((one) => readDocuments(layout, one));
  const [only] = all;
  if (only === undefined) throw badImage(layout.shown, 'an image', 'none in its index');
  if (all.length === 1) return only;
  const archs = all.map(({ config }) => archOfPlatform(config.architecture) ?? config.architecture);
  const chosen = all[archs.findIndex((one) => one === arch)];
  if (chosen !== undefined) return chosen;
  throw new EmballageError('USAGE', {
    doing: 'choosing an image of the layout',
    where: printable(layout.shown),
    expected: `which one: ${listed([...new Set(archs)].map(printable), 'or')}`,
    found: arch ?? 'none named',
    mend: 'add --arch',
  });
}

/** An image on disk. */
type OnDisk = Pick<OpenRequest, 'path' | 'shown' | 'arch' | 'scratch' | 'state'>;

/** Opens it for as long as `use` runs. Every blob is verified. @throws EmballageError IMAGE_INVALID */
export async function withOpenImage<T>(
  { path, shown, arch, scratch, state }: OnDisk,
  use: (image: OpenImage) => Promise<T>,
): Promise<T> {
  const layout = await openLayout(path, shown);
  const memory = state === undefined ? undefined : layerMemory(state);
  const image = await openImage(layout, chooseImage(layout, arch), scratch, memory);
  try {
    return await use(image);
  } finally {
    image.close();
  }
}

/** The same as rules see it. */
export function withImageSubject<T>(
  request: OnDisk & Pick<OpenRequest, 'form'>,
  use: (subject: Subject) => Promise<T>,
): Promise<T> {
  return withOpenImage(request, (image) => use(imageSubject(image, request.form)));
}

function imageSubject(image: OpenImage, form: FormFacts): Subject {
  const root = workingFolder(image);
  const readBytes = (path: string, maxBytes: number): Uint8Array | undefined => {
    const node = image.tree.node(root === '' ? path : `${root}/${path}`);
    if (node?.head.kind !== 'file' || node.head.size > maxBytes) return undefined;
    return image.read(node, 0, node.head.size);
  };
  return {
    form,
    packedBytes: image.manifest.layers.reduce((sum, { size }) => sum + size, 0),
    entries: [...entriesBelow(image, root)],
    faults: [],
    readBytes,
    readText: textReader(readBytes),
    pieces: (path) => {
      const node = image.tree.node(path);
      if (node?.head.kind !== 'file') return [];
      return stretches(node.head.size, (at, length) => image.read(node, at, length));
    },
    image,
  };
}

/** What lies in the working folder. For an image that has none it is everything. */
function* entriesBelow({ tree }: OpenImage, root: string): Generator<SubjectEntry> {
  const prefix = root === '' ? '' : `${root}/`;
  for (const { path, node } of tree.walk()) {
    if (!path.startsWith(prefix)) continue;
    const { kind, mode, size, target } = node.head;
    const common = { path: path.slice(prefix.length), mode: mode & 0o777, size };
    if (kind === 'file' || kind === 'folder') yield { ...common, kind };
    else if (kind === 'link') yield { ...common, kind, ...(target !== undefined && { target }) };
  }
}
