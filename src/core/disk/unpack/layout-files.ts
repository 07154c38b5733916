/** Opens image layouts that lie on disk, as a folder or as one tar archive. */
import { statSync } from 'node:fs';
import { join } from 'node:path';
import {
  badImage,
  BLOBS_FOLDER,
  INDEX_FILE,
  LAYOUT_FILE,
  MAX_MANIFEST_BYTES,
  readIndex,
  type BlobHolder,
  type ImageLayout,
  type Stretch,
} from '../../formats/oci';
import { listTar } from '../../formats/tar';
import { readStretch, withFileSource } from '../file-source';

/** The version of layouts that there is (image-spec, "oci-layout file"). */
const VERSION = /"imageLayoutVersion"\s*:\s*"1\.\d+\.\d+"/;
const MAX_LAYOUT_BYTES = 4096;

/**
 * @param path absolute
 * @param shown its name for messages
 * @throws EmballageError IMAGE_INVALID where it is no layout
 */
export async function openLayout(path: string, shown: string): Promise<ImageLayout> {
  const files = statSync(path).isDirectory() ? folderFiles(path) : await tarFiles(path, shown);
  const holder: BlobHolder = {
    shown,
    find: (hex) => files(`${BLOBS_FOLDER}/${hex}`),
    read: readStretch,
  };
  const layout = files(LAYOUT_FILE);
  const index = files(INDEX_FILE);
  if (layout === undefined || index === undefined)
    throw badImage(shown, `an image layout, with \`${LAYOUT_FILE}\` and \`${INDEX_FILE}\``, 'one of them missing');
  if (layout.size > MAX_LAYOUT_BYTES || !VERSION.test(readStretch(layout).toString('utf8')))
    throw badImage(shown, 'an image layout of version 1', 'another, or none');
  if (index.size > MAX_MANIFEST_BYTES)
    throw badImage(shown, `a short \`${INDEX_FILE}\``, `${String(index.size)} bytes`);
  return { ...holder, index: readIndex(readStretch(index), `${shown}, ${INDEX_FILE}`) };
}

type Find = (path: string) => Stretch | undefined;

function folderFiles(folder: string): Find {
  return (path) => {
    const stat = statSync(join(folder, path), { throwIfNoEntry: false });
    return stat?.isFile() === true ? { path: join(folder, path), at: 0, size: stat.size } : undefined;
  };
}

async function tarFiles(path: string, shown: string): Promise<Find> {
  const members = new Map<string, Stretch>();
  await withFileSource(path, shown, (source) => {
    for (const { head, at } of listTar(source, shown))
      if (head.kind === 'file') members.set(head.path, { path, at, size: head.size });
  });
  return (member) => members.get(member);
}
