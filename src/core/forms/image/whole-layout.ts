/** The image of a function for all its architectures: a layout folder with the index over them. */
import { join } from 'node:path';
import { ANNOTATION, OCI_INDEX, OCI_MANIFEST, writeIndex, type BlobHolder, type Descriptor } from '../../formats/oci';
import { imageIndex } from './documents';
import type { Arch, FunctionSpec } from '../../sheet';
import type { Project } from '../../project/targets';
import { wholeLayoutPath } from './paths';
import { blobStore } from './blob-store';
import { blobsOf, placeLayout } from './layout-folder';

export interface OneImage {
  readonly arch: Arch;
  /** Of its manifest, in hexadecimal. */
  readonly sha256: string;
}

/** The index over images whose manifests a holder has. */
function indexOver(
  holder: BlobHolder,
  images: readonly OneImage[],
  title: string,
): { readonly descriptor: Descriptor; readonly bytes: Buffer } {
  const manifests = images.map(({ arch, sha256 }) => ({ arch, manifest: manifestOf(holder, sha256) }));
  return imageIndex(manifests, title);
}

function manifestOf(holder: BlobHolder, hex: string): Descriptor {
  const size = holder.find(hex)?.size ?? 0;
  return { mediaType: OCI_MANIFEST, digest: `sha256:${hex}`, size };
}

/** Writes the folder anew, whole. */
export function placeWholeLayout(project: Project, spec: FunctionSpec, images: readonly OneImage[]): void {
  const store = blobStore(project);
  const { descriptor, bytes } = indexOver(store, images, spec.name);
  store.put(bytes);
  const top = { ...descriptor, annotations: { [ANNOTATION.refName]: spec.name } };
  placeLayout({
    path: join(project.root, wholeLayoutPath(spec.name)),
    shown: wholeLayoutPath(spec.name),
    index: writeIndex({ mediaType: OCI_INDEX, manifests: [top], annotations: {} }),
    blobs: [descriptor, ...images.flatMap(({ sha256 }) => blobsOf(store, manifestOf(store, sha256)))],
    store,
  });
}
