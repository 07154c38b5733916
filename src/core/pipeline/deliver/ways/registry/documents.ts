/**
 * What is sent to a registry: images as they were built, other artifacts as artifacts of the open standard (OCI image
 * specification 1.1, "Guidelines for Artifact Usage"), with the waybill as second blob; all architectures under one index.
 */
import { basename } from 'node:path';
import {
  describeBytes,
  EMPTY_BYTES,
  EMPTY_DESCRIPTOR,
  OCI_INDEX,
  OCI_MANIFEST,
  writeIndex,
  type Descriptor,
} from '../../../../formats/oci';
import { openForm, type BlobToPush, type ManifestToPush, type PartsWork } from '../../../../forms';
import { imageIndex, platformOf } from '../../../../forms/image';
import type { Arch } from '../../../../sheet';
import type { Payload, PayloadFile, PayloadPart } from '../../payload';

export const FUNCTION_TYPE = 'application/vnd.emballage.function.v1';
export const BESIDE_TYPE = 'application/vnd.emballage.beside.v1';
export const WAYBILL_TYPE = 'application/vnd.emballage.waybill.v3+json';
export const WAYBILL_ANNOTATION = 'emballage.waybill';
const TITLE = 'org.opencontainers.image.title';

export interface IndexToPush {
  readonly descriptor: Descriptor;
  readonly bytes: Buffer;
  /** Of each architecture. */
  readonly parts: readonly (ManifestToPush & { readonly arch: Arch })[];
  /** Of data beside, by its name; only for images: otherwise it lies with the artifact. */
  readonly beside: readonly (ManifestToPush & { readonly name: string })[];
}

/** What is pushed for a payload: the index, the manifests under it, and their blobs. */
export async function documentsOf(payload: Payload): Promise<IndexToPush> {
  const work = await openForm(payload.form);
  if (work.parts !== undefined) return documentsInParts(payload, work.parts);
  const parts = payload.parts.map((part) => ({ ...artifactManifest(payload, part), arch: part.arch }));
  return {
    ...imageIndex(
      parts.map(({ descriptor, arch }) => ({ manifest: descriptor, arch })),
      payload.name,
    ),
    parts,
    beside: [],
  };
}

async function documentsInParts(payload: Payload, { manifests }: PartsWork): Promise<IndexToPush> {
  const parts: (ManifestToPush & { readonly arch: Arch })[] = [];
  for (const { path, shown, arch } of payload.parts)
    for (const manifest of await manifests(path, shown)) parts.push({ ...manifest, arch });
  const beside = payload.beside.map((one) => ({
    name: one.name,
    ...manifestOf(BESIDE_TYPE, one.name, [layerOf(one)]),
  }));
  const images = parts.map(({ descriptor, arch }) => ({ manifest: descriptor, arch }));
  if (beside.length === 0) return { ...imageIndex(images, payload.name), parts, beside };
  const bytes = writeIndex({
    mediaType: OCI_INDEX,
    manifests: [
      ...images.map(({ manifest, arch }) => ({ ...plain(manifest), platform: platformOf(arch) })),
      ...beside.map(({ descriptor }) => ({ ...plain(descriptor), artifactType: BESIDE_TYPE })),
    ],
    annotations: { [TITLE]: payload.name },
  });
  return { descriptor: describeBytes(OCI_INDEX, bytes), bytes, parts, beside };
}

function artifactManifest(payload: Payload, part: PayloadPart): ManifestToPush {
  const layers = [
    layerOf(part, payload.form.mediaType, `${payload.name}${payload.ending}`),
    layerOf(part.waybill, WAYBILL_TYPE, `${payload.name}.waybill.json`),
    ...payload.beside.map((one) => layerOf(one, 'application/octet-stream', basename(one.path))),
  ];
  return manifestOf(FUNCTION_TYPE, payload.name, layers, { [WAYBILL_ANNOTATION]: `sha256:${part.waybill.sha256}` });
}

interface Layer extends BlobToPush {
  readonly title: string;
}

function layerOf(file: PayloadFile, mediaType = 'application/octet-stream', title = basename(file.path)): Layer {
  const { path, sha256, size } = file;
  return { descriptor: { mediaType, digest: `sha256:${sha256}`, size }, content: { path, at: 0, size }, title };
}

function manifestOf(
  artifactType: string,
  title: string,
  layers: readonly Layer[],
  more: Readonly<Record<string, string>> = {},
): ManifestToPush {
  const bytes = Buffer.from(
    JSON.stringify({
      schemaVersion: 2,
      mediaType: OCI_MANIFEST,
      artifactType,
      config: EMPTY_DESCRIPTOR,
      layers: layers.map(({ descriptor, title: own }) => ({ ...descriptor, annotations: { [TITLE]: own } })),
      annotations: { [TITLE]: title, ...more },
    }),
  );
  const config = { descriptor: EMPTY_DESCRIPTOR, content: EMPTY_BYTES };
  return { descriptor: describeBytes(OCI_MANIFEST, bytes), bytes, blobs: [...layers, config] };
}

function plain({ mediaType, digest, size }: Descriptor): Descriptor {
  return { mediaType, digest, size };
}
