/** What all forms take that are archives of the zip format, loaded when it is asked for. */
import { withFileSource } from '../disk/file-source';
import { unpackZip } from '../disk/unpack/unpack';
import type { FormWork } from './form';
import { weighArchive, withArchive } from './zip-archive';

export const archiveWork: Pick<FormWork, 'withSubject' | 'unpack' | 'weigh'> = {
  withSubject: (request, use) => withArchive(request, use),
  unpack: (path, shown, into) => withFileSource(path, shown, (source) => unpackZip(source, shown, into)),
  weigh: (request, knowing) => weighArchive(request, knowing),
};
