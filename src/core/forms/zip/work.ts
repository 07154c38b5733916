/** What zip archives take: packed in the order of their paths, opened as what they hold. */
import { withFileSource } from '../../disk/file-source';
import { unpackZip } from '../../disk/unpack/unpack';
import { isZip } from '../comparing';
import type { FormWork } from '../form';
import { makePacked } from '../packed';
import { packZip } from '../packing';
import { weighArchive, withArchive } from '../zip-archive';

export const zipWork: FormWork = {
  isOne: (path, shown) => withFileSource(path, shown, (source) => isZip({ source, name: shown })),
  make: (request) => makePacked(request, (packing) => packZip(packing)),
  withSubject: (request, use) => withArchive(request, use),
  unpack: (path, shown, into) => withFileSource(path, shown, (source) => unpackZip(source, shown, into)),
  weigh: (request, knowing) => weighArchive(request, knowing),
};
