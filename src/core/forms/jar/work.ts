/** What JARs take: what zip archives do, with the manifest first. */
import { withFileSource } from '../../disk/file-source';
import { unpackZip } from '../../disk/unpack/unpack';
import { JAR_MANIFEST } from '../../formats/jar';
import { readNative } from '../../formats/native';
import type { FormWork } from '../form';
import { makePacked } from '../packed';
import { packZip } from '../packing';
import { weighArchive, withArchive } from '../zip-archive';

export const jarWork: FormWork = {
  // What it is called says it: to everything else it is a zip archive.
  isOne: (path, shown) => withFileSource(path, shown, (source) => readNative(source) === undefined),
  make: (request) => makePacked(request, (packing) => packZip({ ...packing, first: JAR_MANIFEST })),
  withSubject: (request, use) => withArchive(request, use),
  unpack: (path, shown, into) => withFileSource(path, shown, (source) => unpackZip(source, shown, into)),
  weigh: (request, knowing) => weighArchive(request, knowing),
};
