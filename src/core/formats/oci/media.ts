/**
 * Media types of images: those of the OCI image specification 1.1, and those of the schema that came before it, which
 * many bases still use and which says the same things.
 */
import { ownOf } from '../../base/own';

export const OCI_MANIFEST = 'application/vnd.oci.image.manifest.v1+json';
export const OCI_INDEX = 'application/vnd.oci.image.index.v1+json';
export const OCI_CONFIG = 'application/vnd.oci.image.config.v1+json';
export const OCI_LAYER_GZIP = 'application/vnd.oci.image.layer.v1.tar+gzip';

/** What the schema before the standard’s is named after, on the wire. */
const OLDER_NAME = 'docker';
const OLDER = `application/vnd.${OLDER_NAME}`;
/** The header in which registries state a digest (distribution-spec, "Pulling manifests"), in small letters. */
export const CONTENT_DIGEST = `${OLDER_NAME}-content-digest`;
const OLDER_MANIFEST = `${OLDER}.distribution.manifest.v2+json`;
const OLDER_INDEX = `${OLDER}.distribution.manifest.list.v2+json`;

const MANIFESTS: readonly string[] = [OCI_MANIFEST, OLDER_MANIFEST];
const INDEXES: readonly string[] = [OCI_INDEX, OLDER_INDEX];

/** What is asked for where a manifest or an index may come. */
export const ACCEPT_MANIFEST = [OCI_INDEX, OCI_MANIFEST, OLDER_INDEX, OLDER_MANIFEST].join(', ');

export type LayerCompression = 'none' | 'gzip' | 'zstd';

/** How the layers of each type are compressed; images may also have other blobs, which are no layers. */
const LAYERS: Readonly<Record<string, LayerCompression>> = {
  'application/vnd.oci.image.layer.v1.tar': 'none',
  [OCI_LAYER_GZIP]: 'gzip',
  'application/vnd.oci.image.layer.v1.tar+zstd': 'zstd',
  // Layers that may not be passed on are the same inside (image-spec, "Non-Distributable Layers").
  'application/vnd.oci.image.layer.nondistributable.v1.tar': 'none',
  'application/vnd.oci.image.layer.nondistributable.v1.tar+gzip': 'gzip',
  [`${OLDER}.image.rootfs.diff.tar`]: 'none',
  [`${OLDER}.image.rootfs.diff.tar.gzip`]: 'gzip',
  [`${OLDER}.image.rootfs.foreign.diff.tar.gzip`]: 'gzip',
};

/** Whether a media type is that of one image, of either family of specifications. */
export function isManifestType(type: string): boolean {
  return MANIFESTS.includes(type);
}

/** Whether a media type is that of a list of images, of either family of specifications. */
export function isIndexType(type: string): boolean {
  return INDEXES.includes(type);
}

/** Undefined for what is no layer. */
export function compressionOf(type: string): LayerCompression | undefined {
  return ownOf(LAYERS, type);
}

/** The type by which a layer stands in a manifest of ours. */
export function ociLayerType(type: string): string {
  const compression = compressionOf(type);
  return compression === 'none'
    ? 'application/vnd.oci.image.layer.v1.tar'
    : compression === 'gzip'
      ? OCI_LAYER_GZIP
      : type;
}

/** The config of artifacts that have none: `{}`, whose digest is what it is (image specification, "Empty Descriptor"). */
export const EMPTY_BYTES = Buffer.from('{}');
export const EMPTY_DESCRIPTOR = {
  mediaType: 'application/vnd.oci.empty.v1+json',
  digest: 'sha256:44136fa355b3678a1146ad16f7e8649e94fb4fc21fe77e8310c060f61caaff8a',
  size: 2,
} as const;
