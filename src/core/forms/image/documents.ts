/** The image form: layers become a configuration, a manifest and a layout (OCI image specification 1.1). */
import { stretchPieces } from '../../disk/file-source';
import type { FileSink } from '../../disk/write';
import {
  ANNOTATION,
  BLOBS_FOLDER,
  describeBytes,
  describeConfig,
  findBlob,
  hexOf,
  INDEX_FILE,
  LAYOUT_BYTES,
  LAYOUT_FILE,
  OCI_ARCH,
  OCI_INDEX,
  OCI_MANIFEST,
  ociLayerType,
  writeConfig,
  writeIndex,
  writeManifest,
  type BlobHolder,
  type Descriptor,
  type HistoryEntry,
  type ImageConfig,
  type RunConfig,
} from '../../formats/oci';
import { TAR_END, tarHeader, tarPadding } from '../../formats/tar';
import type { Arch } from '../../sheet';

/** A layer, and the digest of what it unpacks to. */
export interface StackedLayer {
  readonly descriptor: Descriptor;
  readonly diffId: string;
}

export interface ImageToMake {
  readonly arch: Arch;
  readonly title: string;
  /** Seconds since 1970. */
  readonly epochSeconds: number;
  /** The function’s own layers, the lowest first. */
  readonly layers: readonly (StackedLayer & { readonly name: string })[];
  readonly base:
    | {
        readonly config: ImageConfig;
        readonly layers: readonly Descriptor[];
        readonly name: string;
        readonly digest: string | undefined;
      }
    | undefined;
  readonly command: readonly string[];
  readonly workingFolder: string;
  readonly user: string;
  readonly labels: Readonly<Record<string, string>>;
  /** The port on which it listens where nobody says another; undefined where it does not. */
  readonly port: number | undefined;
}

export interface ImageDocumentsMade {
  readonly manifest: Descriptor;
  readonly manifestBytes: Buffer;
  readonly config: Descriptor;
  readonly configBytes: Buffer;
}

/** Configuration and manifest of an image. */
export function imageDocuments(image: ImageToMake): ImageDocumentsMade {
  const created = new Date(image.epochSeconds * 1000).toISOString().replace('.000Z', 'Z');
  const configBytes = writeConfig({
    architecture: OCI_ARCH[image.arch],
    os: 'linux',
    created,
    run: runConfig(image),
    diffIds: [...(image.base?.config.diffIds ?? []), ...image.layers.map(({ diffId }) => diffId)],
    history: [
      ...baseHistory(image),
      ...image.layers.map(({ name }) => ({ created, created_by: `emballage: ${name}` })),
    ],
  });
  const config = describeConfig(configBytes);
  const manifestBytes = writeManifest({
    mediaType: OCI_MANIFEST,
    config,
    layers: [
      ...(image.base?.layers ?? []).map(({ mediaType, digest, size }) => ({
        mediaType: ociLayerType(mediaType),
        digest,
        size,
      })),
      ...image.layers.map(({ descriptor }) => descriptor),
    ],
    annotations: {
      [ANNOTATION.created]: created,
      [ANNOTATION.title]: image.title,
      ...(image.base?.digest !== undefined && {
        [ANNOTATION.baseName]: image.base.name,
        [ANNOTATION.baseDigest]: image.base.digest,
      }),
    },
  });
  return { manifest: describeBytes(OCI_MANIFEST, manifestBytes), manifestBytes, config, configBytes };
}

/**
 * What is inherited from the base: its environment, ports, volumes, stop signal and labels. What the function decides
 * itself: user, working folder, command, and labels of the same name.
 */
function runConfig({ base, command, workingFolder, user, labels, port }: ImageToMake): RunConfig {
  const inherited = base?.config.run;
  const listening = port === undefined ? [] : [String(port)];
  return {
    user,
    env: [
      ...(inherited?.env ?? []).filter((one) => listening.length === 0 || !one.startsWith('PORT=')),
      ...listening.map((one) => `PORT=${one}`),
    ],
    entrypoint: command,
    cmd: [],
    workingDir: workingFolder,
    labels: { ...inherited?.labels, ...labels },
    exposedPorts: [...new Set([...(inherited?.exposedPorts ?? []), ...listening.map((one) => `${one}/tcp`)])],
    volumes: inherited?.volumes ?? [],
    ...(inherited?.stopSignal !== undefined && { stopSignal: inherited.stopSignal }),
  };
}

/** A history has an entry for every layer, or says nothing of use; where the base’s does not, one is made. */
function baseHistory({ base }: ImageToMake): readonly HistoryEntry[] {
  if (base === undefined) return [];
  const said = base.config.history.filter(({ empty_layer: isEmpty }) => isEmpty !== true).length;
  if (said === base.config.diffIds.length) return base.config.history;
  return base.config.diffIds.map(() => ({ created_by: `base: ${base.name}` }));
}

export interface LayoutHead {
  readonly manifest: Descriptor;
  readonly arch: Arch;
  readonly title: string;
}

/** The index of a layout that has one image. */
export function layoutIndex({ manifest, arch, title }: LayoutHead): Buffer {
  return writeIndex({
    mediaType: OCI_INDEX,
    manifests: [{ ...manifest, platform: platformOf(arch), annotations: { [ANNOTATION.refName]: title } }],
    annotations: {},
  });
}

/** A layout as one tar archive: the index first, then each blob once, in the order in which they are named. */
export function writeLayoutTar(
  sink: Pick<FileSink, 'append'>,
  index: Uint8Array,
  blobs: readonly Descriptor[],
  holder: BlobHolder,
): void {
  const add = (path: string, size: number, content: Iterable<Uint8Array>): void => {
    sink.append(tarHeader({ path, kind: 'file', mode: 0o644, size, mtimeSeconds: 0 }));
    for (const piece of content) sink.append(piece);
    sink.append(tarPadding(size));
  };
  add(LAYOUT_FILE, LAYOUT_BYTES.length, [LAYOUT_BYTES]);
  add(INDEX_FILE, index.length, [index]);
  const written = new Set<string>();
  for (const blob of blobs) {
    if (written.has(blob.digest)) continue;
    written.add(blob.digest);
    add(`${BLOBS_FOLDER}/${hexOf(blob.digest)}`, blob.size, stretchPieces(findBlob(holder, blob)));
  }
  sink.append(TAR_END);
}

/** The platform of images for an architecture. */
export function platformOf(arch: Arch): { architecture: string; os: string } {
  return { architecture: OCI_ARCH[arch], os: 'linux' };
}

/** The index over the images of a function for several architectures, in the order of their names. */
export function imageIndex(
  images: readonly { readonly manifest: Descriptor; readonly arch: Arch }[],
  title: string,
): { readonly descriptor: Descriptor; readonly bytes: Buffer } {
  const bytes = writeIndex({
    mediaType: OCI_INDEX,
    manifests: [...images]
      .sort((a, b) => (a.arch < b.arch ? -1 : 1))
      .map(({ manifest: { mediaType, digest, size }, arch }) => ({
        mediaType,
        digest,
        size,
        platform: platformOf(arch),
      })),
    annotations: { [ANNOTATION.title]: title },
  });
  return { descriptor: describeBytes(OCI_INDEX, bytes), bytes };
}
