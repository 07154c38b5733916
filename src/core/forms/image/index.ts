/** Images: what they stand on, how they are made, opened and fetched. */
export { isArchiveThere, placeArchive, removeArchive } from './archive';
export { baseInputs, hasBase, imageInputs, settleBase } from './base/base';
export { basePath } from './base/base-parts';
export { functionPath } from './cut';
export { fetchImage } from './base/fetch-image';
export { chooseImage, isImage, withImageSubject } from './image-subject';
export { lockedBase } from './base/locked-base';
export type { MadeImage } from './make-image';
export { makeImageTarget, type ImageTarget, type MadeImageTarget } from './make-target';
export { placeWholeLayout } from './whole-layout';
