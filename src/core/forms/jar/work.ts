/** What JARs take: what zip archives do, with the manifest first. */
import { withFileSource } from '../../disk/file-source';
import { JAR_MANIFEST } from '../../formats/jar';
import { readNative } from '../../formats/native';
import { archiveWork } from '../archive-work';
import type { FormWork } from '../form';
import { makePacked } from '../packed';
import { packZip } from '../packing';

export const jarWork: FormWork = {
  ...archiveWork,
  // What it is called says it: to everything else it is a zip archive.
  isOne: (path, shown) => withFileSource(path, shown, (source) => readNative(source) === undefined),
  make: (request) => makePacked(request, (packing) => packZip({ ...packing, first: JAR_MANIFEST })),
};
