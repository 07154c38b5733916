import { folderOf } from '../../base/paths';
import { printable } from '../../base/text';
import type { OpenImage } from '../../disk/unpack/open-image';
import type { TarHead } from '../../formats/tar';
import { startedBy, userOf, workingFolder } from '../../findings/image';
import { findings, type Finding, type Rule } from '../../findings/rule';

const OTHERS_READ = 0o004;
const OTHERS_ENTER = 0o001;

export const layoutUnreadableMode: Rule = {
  id: 'layout/unreadable-mode',
  level: 'stop',
  title: 'Everybody may read the files and enter the folders',
  why: 'Hosts run the function as another user than the one who unpacked it; what only its owner may read cannot be loaded.',
  mend: 'Give read permission to all before packing.',
  needs: [],
  check({ subject }) {
    if (subject.image !== undefined) return findings(...unreadableFor(subject.image));
    const found: Finding[] = [];
    for (const { path, kind, mode } of subject.entries) {
      if (mode === undefined || kind === 'link') continue;
      const wanted = kind === 'folder' ? OTHERS_READ | OTHERS_ENTER : OTHERS_READ;
      if ((mode & wanted) === wanted) continue;
      const usual = kind === 'folder' ? '0755' : '0644';
      found.push({
        level: 'stop',
        where: printable(path),
        expected: `a mode such as ${usual}`,
        found: `0${mode.toString(8).padStart(3, '0')}`,
        mend: `chmod ${usual} ${printable(path)} before packing`,
      });
    }
    return findings(...found);
  },
};

const SHOWN = 50;

/** In an image it is known who reads: the function's files, and the folders that lead to them. */
function unreadableFor(image: OpenImage): Finding[] {
  const { uid, gid = 0 } = userOf(image);
  // Root reads everything.
  if (uid === undefined || uid === 0) return [];
  const working = workingFolder(image);
  const place = working === '' ? folderOf(startedBy(image).found?.path ?? '') : working;
  const found: Finding[] = [];
  for (const { path, node } of image.tree.walk()) {
    const wanted = wantedAt(path, node.head, { place, isWorking: working !== '' });
    if (wanted === 0 || isAllowed(node.head, { uid, gid }, wanted)) continue;
    const { kind, mode, uid: owner } = node.head;
    found.push({
      level: 'stop',
      where: printable(path),
      expected: `a mode that lets user ${String(uid)} ${kind === 'file' ? 'read it' : 'enter it'}`,
      found: `0${(mode & 0o7777).toString(8).padStart(3, '0')}, of user ${String(owner)}`,
      mend: `chmod ${kind === 'folder' ? '0755' : '0644'}, or give it to that user`,
    });
  }
  return found.slice(0, SHOWN);
}

/** What has to be allowed: to go through the folders above, and to read what lies in the working folder. */
function wantedAt(
  path: string,
  { kind }: TarHead,
  { place, isWorking }: { place: string; isWorking: boolean },
): number {
  if (kind === 'folder' && place.startsWith(`${path}/`)) return OTHERS_ENTER;
  if (kind === 'folder' && path === place) return isWorking ? OTHERS_READ | OTHERS_ENTER : OTHERS_ENTER;
  if (!isWorking || !path.startsWith(`${place}/`)) return 0;
  return kind === 'folder' ? OTHERS_READ | OTHERS_ENTER : kind === 'file' ? OTHERS_READ : 0;
}

/** The owner’s bits count for the owner, those of the group for the group, and no others (inode(7)). */
function isAllowed({ mode, uid, gid }: TarHead, who: { uid: number; gid: number }, wanted: number): boolean {
  const shift = uid === who.uid ? 6 : gid === who.gid ? 3 : 0;
  return ((mode >> shift) & wanted) === wanted;
}
