/** What images take: made of layers on a base, opened as layouts, sent and fetched in parts. */
import { openLayout } from '../../disk/unpack/layout-files';
import { findBlob, manifestsOf, readDocuments } from '../../formats/oci';
import { NOTHING_SHARED } from '../../project/state/state';
import type { FormWork, ManifestToPush } from '../form';
import { hashOf, piecesOf } from '../packed';
import { isArchiveThere, placeArchive, removeArchive } from './archive';
import { imageBase } from './base/work';
import { fetchImage } from './base/fetch-image';
import { isTar, type FormSides } from '../comparing';
import { compareImages, imageAt, imageIn, type ImageSide } from './compare';
import { isImage, withImageSubject } from './image-subject';
import { makeImageTarget } from './make-target';
import { archivePath } from './paths';
import { weighImage } from './weigh';
import { placeWholeLayout } from './whole-layout';

const sides: FormSides<ImageSide> = {
  ofFolder: (path, shown) => imageAt(path, shown),
  ofContent: (content) => (isTar(content) ? imageIn(content) : undefined),
  compare: (a, b, comparing, where) => compareImages(a, b, comparing, where),
};

/** What each of it needs is loaded when that is asked for: comparing two archives makes no image. */
export const imageWork: FormWork = {
  isOne: (path, shown) => isImage(path, shown),
  make: ({ assembly, known, epochSeconds = 0, ...request }) =>
    makeImageTarget({
      ...request,
      epochSeconds,
      entries: assembly.fileSet.entries,
      hostEntry: assembly.hostEntry,
      // Where a layer may be elsewhere already, it is worth reading all files before packing any.
      known: known ?? (request.project.state.shared === NOTHING_SHARED ? undefined : new Map<string, string>()),
      reader: { pieces: (file) => piecesOf(file), digest: hashOf },
    }),
  complete: (project, spec, made) => placeWholeLayout(project, spec, made),
  replacing: (project, target) => removeArchive(project, target),
  withSubject: (request, use) => withImageSubject(request, use),
  weigh: (request, knowing) => weighImage(request, knowing),
  sides,
  get base() {
    return imageBase;
  },
  parts: {
    manifests,
    fetch: (request) => fetchImage(request),
    isOneFileThere: (project, target) => isArchiveThere(project, target),
    oneFile: (project, target) => placeArchive(project, target),
    oneFilePath: (target) => archivePath(target),
  },
};

async function manifests(path: string, shown: string): Promise<ManifestToPush[]> {
  const layout = await openLayout(path, shown);
  return manifestsOf(layout, layout.index).map((found) => {
    const { descriptor, manifest, manifestBytes } = readDocuments(layout, found);
    const blobs = [...manifest.layers, manifest.config].map((one) => ({
      descriptor: one,
      content: findBlob(layout, one),
    }));
    return { descriptor, bytes: manifestBytes, blobs };
  });
}
