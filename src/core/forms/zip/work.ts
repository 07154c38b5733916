/** What zip archives take: packed in the order of their paths, opened as what they hold. */
import { withFileSource } from '../../disk/file-source';
import { isZip } from '../comparing';
import { archiveWork } from '../archive-work';
import type { FormWork } from '../form';
import { makePacked } from '../packed';
import { packZip } from '../packing';

export const zipWork: FormWork = {
  ...archiveWork,
  isOne: (path, shown) => withFileSource(path, shown, (source) => isZip({ source, name: shown })),
  make: (request) => makePacked(request, (packing) => packZip(packing)),
};
