/** The layout of an image as one file, for those who carry it where a folder is in the way. */
import { readFileSync, rmSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { contentDigest } from '../../disk/digest';
import { openLayout } from '../../disk/unpack/layout-files';
import { sameStamp, stampOf, type Stamp } from '../../disk/stamp';
import { FileSink, guarded, replaceLarge } from '../../disk/write';
import { badImage, INDEX_FILE } from '../../formats/oci';
import { writeLayoutTar } from './documents';
import { KINDS } from '../../project/state/state';
import { artifactPath, type Project, type Target } from '../../project/targets';
import { archivePath } from './paths';
import { blobsOf } from './layout-folder';

/** What an archive looked like when it was written, and what it was written from. */
interface ArchiveNote {
  /** SHA-256 of the index of the layout, which names the image. */
  readonly index: string;
  readonly stamp: Stamp;
}

/**
 * The archive beside the layout of a target, written where it is not there as it was written last.
 * @returns its path, relative to the project
 * @throws EmballageError IMAGE_INVALID where the layout is not whole, DISK_FULL, DISK_FAILED
 */
export async function placeArchive(project: Project, target: Target): Promise<string> {
  const shown = archivePath(target);
  const path = join(project.root, shown);
  const from = join(project.root, artifactPath(target));
  if (isArchiveThere(project, target)) return shown;
  const index = guarded(artifactPath(target), () => readFileSync(join(from, INDEX_FILE)));
  const layout = await openLayout(from, artifactPath(target));
  const [manifest] = layout.index.manifests;
  if (manifest === undefined) throw badImage(layout.shown, 'an image', 'none in its index');
  // Everything in it is known by its digest already; hashing it again would say nothing new.
  const sink = new FileSink(path, shown, false);
  try {
    writeLayoutTar(sink, index, blobsOf(layout, manifest), layout);
    sink.close();
    guarded(shown, () => replaceLarge(sink.path, path));
  } catch (error) {
    sink.discard();
    throw error;
  }
  const note: ArchiveNote = { index: contentDigest(index), stamp: stampOf(statSync(path)) };
  project.state.remember(KINDS.archives, noteName(target), note);
  return shown;
}

/** Takes the archive of another image away. */
export function removeArchive(project: Project, target: Target): void {
  guarded(archivePath(target), () => rmSync(join(project.root, archivePath(target)), { force: true }));
}

/** Whether it lies there as it was written from the layout that lies there. */
export function isArchiveThere(project: Project, target: Target): boolean {
  const note = project.state.recall(KINDS.archives, noteName(target)) as ArchiveNote | undefined;
  if (note === undefined) return false;
  try {
    const stamp = stampOf(statSync(join(project.root, archivePath(target))));
    const index = readFileSync(join(project.root, artifactPath(target), INDEX_FILE));
    return sameStamp(note.stamp, stamp) && note.index === contentDigest(index);
  } catch {
    // Not there, or another build is just putting it there.
    return false;
  }
}

function noteName({ spec, arch }: Target): string {
  return `${spec.name}.${arch}.json`;
}
