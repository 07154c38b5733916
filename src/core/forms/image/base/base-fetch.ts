/** Bases that are images already: at a registry, or in a layout of the project. */
import { join } from 'node:path';
import { EmballageError } from '../../../base/errors';
import { listed, printable } from '../../../base/text';
import { severalAtOnce, summed } from '../../../base/several';
import { openLayout } from '../../../disk/unpack/layout-files';
import {
  archOfPlatform,
  badImage,
  findBlob,
  formatReference,
  hexOf,
  isIndexType,
  manifestsOf,
  named,
  OCI_ARCH,
  parseReference,
  readableCompression,
  readDocuments,
  readIndex,
  readManifest,
  type Descriptor,
  type ImageDocuments,
  type ImageReference,
} from '../../../formats/oci';
import type { Arch } from '../../../sheet';
import type { Base } from '../own';
import { pullBlob, pullManifest, type PulledManifest, type RegistryConnection } from '../../../sources/registry';
import { basePath, type BaseRequest, type TakenBase } from './base-parts';
import type { BlobStore } from '../blob-store';

type ImageBase = Extract<Base, { kind: 'image' }>;
type LayoutBase = Extract<Base, { kind: 'layout' }>;

const AT_ONCE = 4;
const MAX_DEPTH = 3;

/** The image that a reference names today, for one architecture. */
export async function fetchBase(
  request: BaseRequest,
  base: ImageBase,
  arch: Arch,
  store: BlobStore,
): Promise<TakenBase> {
  const doing = `settling what ${request.spec.name} stands on`;
  const reference = parseReference(base.reference, doing);
  const registry = await request.registry(reference.host, base.plainHttp);
  const asked = reference.digest ?? reference.tag ?? 'latest';
  const top = await pullManifest(registry, reference.name, asked);
  if (top === undefined) throw missing(reference, doing);
  const { descriptor, bytes } = await forArch(registry, reference, top, arch, 0);
  const manifest = readManifest(bytes, base.reference);
  await fetchAll(registry, reference.name, [manifest.config, ...manifest.layers], store, request);
  return takenFrom(base.reference, formatReference(reference), readDocuments(store, { descriptor, bytes }));
}

/** Fetches blobs that were settled before. */
export async function fetchBlobs(
  request: BaseRequest,
  base: ImageBase,
  wanted: readonly Descriptor[],
  store: BlobStore,
): Promise<void> {
  const reference = parseReference(base.reference, `fetching what ${request.spec.name} stands on`);
  const registry = await request.registry(reference.host, base.plainHttp);
  await fetchAll(registry, reference.name, wanted, store, request);
}

async function fetchAll(
  registry: RegistryConnection,
  name: string,
  blobs: readonly Descriptor[],
  store: BlobStore,
  { onProgress }: Pick<BaseRequest, 'onProgress'>,
): Promise<void> {
  const open = blobs.filter(
    ({ digest }, i) => blobs.findIndex((one) => one.digest === digest) === i && store.find(hexOf(digest)) === undefined,
  );
  const total = open.reduce((sum, { size }) => sum + size, 0);
  const progress = summed((done) => onProgress?.(`fetching ${name}`, done, total));
  await severalAtOnce(open, AT_ONCE, async (one) => {
    const hex = hexOf(one.digest);
    const path = store.partial(hex);
    await pullBlob(registry, name, one, { path, onProgress: (bytes) => progress(hex, bytes) });
    store.takeIn(path, hex);
  });
}

/** The manifest for one architecture, where an index has several. */
async function forArch(
  registry: RegistryConnection,
  reference: ImageReference,
  pulled: PulledManifest,
  arch: Arch,
  depth: number,
): Promise<PulledManifest> {
  if (!isIndexType(pulled.descriptor.mediaType)) return pulled;
  const shown = formatReference(reference);
  if (depth >= MAX_DEPTH) throw badImage(shown, 'indexes nested a few levels deep', 'ones that go on');
  const { manifests } = readIndex(pulled.bytes, shown);
  const chosen = chooseFor(manifests, arch, shown);
  const next = await pullManifest(registry, reference.name, chosen.digest);
  if (next === undefined)
    throw badImage(shown, `the manifest \`${chosen.digest}\` that its index names`, 'nothing of that digest');
  return forArch(registry, reference, next, arch, depth + 1);
}

function chooseFor(manifests: readonly Descriptor[], arch: Arch, shown: string): Descriptor {
  const fits = manifests.filter(({ platform }) => platform?.os === 'linux' && platform.architecture === OCI_ARCH[arch]);
  // The baseline comes before variants that not every processor of the kind has.
  const chosen = fits.find(({ platform }) => platform?.variant === undefined || platform.variant === 'v8') ?? fits[0];
  if (chosen !== undefined) return chosen;
  const others = manifests.flatMap(({ platform }) =>
    platform?.os !== 'linux' ? [] : [archOfPlatform(platform.architecture) ?? platform.architecture],
  );
  throw new EmballageError('IMAGE_INVALID', {
    doing: 'choosing the image of a base',
    where: printable(shown),
    expected: `one for ${arch}`,
    found: others.length === 0 ? 'none' : `only ${listed([...new Set(others)].map(printable))}`,
    mend: `take another base, or leave ${arch} out of \`arch\``,
  });
}

/** An image of a layout; its blobs are copied, so that the layout may go. */
export async function takeLayout(
  request: BaseRequest,
  base: LayoutBase,
  arch: Arch,
  store: BlobStore,
): Promise<TakenBase> {
  const shown = basePath(base.path, arch);
  const layout = await openLayout(join(request.project.root, shown), shown);
  const index = named(layout.index, base.tag);
  if (index.manifests.length === 0) throw badImage(shown, `an image named \`${printable(base.tag ?? '')}\``, 'none');
  const found = manifestsOf(layout, index).map((one) => readDocuments(layout, one));
  const only = found.length === 1 ? found[0] : undefined;
  const fits = found.filter(({ config }) => config.os === 'linux' && config.architecture === OCI_ARCH[arch]);
  const documents = fits[0] ?? only;
  if (documents === undefined || fits.length > 1)
    throw badImage(
      shown,
      `one image for ${arch}${base.tag === undefined ? '; `tag` chooses by name' : ''}`,
      fits.length > 1 ? `${String(fits.length)} of them` : `none among ${String(found.length)}`,
    );
  const { manifest } = documents;
  for (const one of [manifest.config, ...manifest.layers]) {
    if (store.find(hexOf(one.digest)) !== undefined) continue;
    const hex = store.copyIn(findBlob(layout, one));
    if (hex !== hexOf(one.digest)) throw badImage(shown, `the content of \`${one.digest}\``, `that of sha256:${hex}`);
  }
  return takenFrom(shown, shown, documents);
}

function takenFrom(shown: string, from: string, { descriptor, manifest, config }: ImageDocuments): TakenBase {
  const layers = manifest.layers.map((layer, i) => {
    readableCompression(layer.mediaType, shown);
    return { ...layer, diffId: config.diffIds[i] ?? '' };
  });
  return { from, digest: descriptor.digest, config: manifest.config, layers };
}

function missing(reference: ImageReference, doing: string): EmballageError {
  return new EmballageError('REGISTRY_REFUSED', {
    doing,
    where: printable(formatReference(reference)),
    expected: 'an image',
    found: 'nothing of that name',
    mend: 'check the name and the tag under `base`',
  });
}
