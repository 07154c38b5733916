/** What images take: made of layers on a base, opened as layouts, sent and fetched in parts. */
import { openLayout } from '../../disk/unpack/layout-files';
import { findBlob, manifestsOf, readDocuments } from '../../formats/oci';
import { NOTHING_SHARED } from '../../project/state/state';
import type { FormWork, ManifestToPush } from '../form';
import { hashOf, piecesOf } from '../packed';
import { isArchiveThere, placeArchive, removeArchive } from './archive';
import { imageBase } from './base/work';
import { fetchImage } from './base/fetch-image';
import { imageSides } from './compare';
import { isImage, withImageSubject } from './image-subject';
import { makeImageTarget } from './make-target';
import { archivePath } from './paths';
import { weighImage } from './weigh';
import { placeWholeLayout } from './whole-layout';

export const imageWork: FormWork = {
  isOne: isImage,
  make: ({ assembly, known, epochSeconds = 0, ...request }) =>
    makeImageTarget({
      ...request,
      ...{ epochSeconds, entries: assembly.fileSet.entries, hostEntry: assembly.hostEntry },
      // Where a layer may be elsewhere already, it is worth reading all files before packing any.
      known: known ?? (request.project.state.shared === NOTHING_SHARED ? undefined : new Map<string, string>()),
      reader: { pieces: (file) => piecesOf(file), digest: hashOf },
    }),
  complete: placeWholeLayout,
  replacing: removeArchive,
  withSubject: withImageSubject,
  weigh: weighImage,
  sides: imageSides,
  base: imageBase,
  parts: {
    manifests,
    fetch: fetchImage,
    isOneFileThere: isArchiveThere,
    oneFile: placeArchive,
    oneFilePath: archivePath,
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
