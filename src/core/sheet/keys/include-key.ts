/** Reads `include` of a function: files from elsewhere in the project, and where they go inside the artifact. */
import { folderOf, isPattern, partPattern, settlePath } from '../../base/paths';
import { printable } from '../../base/text';
import type { Include } from '../../fileset/model';
import type { SheetNotes } from '../text/notes';
import type { FunctionText } from '../schema';

/** @param at where it stands in the sheet */
export function readInclude(notes: SheetNotes, at: readonly string[], lines: FunctionText['include'] = []): Include[] {
  return lines.flatMap((line, i) => {
    const files = readFiles(notes, [...at, String(i), 'files'], line.files);
    const inside = readInside(notes, [...at, String(i), 'inside'], line.inside ?? '');
    return files === undefined || inside === undefined ? [] : [{ files, inside }];
  });
}

/** Undefined for what leaves the folder that it starts from. */
function settled(written: string): string | undefined {
  return written.startsWith('/') || written.includes('\\') ? undefined : settlePath(written);
}

function readFiles(notes: SheetNotes, at: readonly string[], written: string): string | undefined {
  const path = settled(written);
  if (path === undefined || path === '') {
    notes.add(
      at,
      'a file, a folder or a pattern inside the project folder',
      `\`${printable(written)}\`, which ${path === '' ? 'is all of it' : 'leaves it'}`,
      'write a path relative to the sheet',
    );
    return undefined;
  }
  if (isPattern(path)) {
    const { certain } = partPattern(path);
    return certain === '' || notes.insidePath(at, certain, 'folder') !== undefined ? path : undefined;
  }
  return notes.insidePath(at, path, notes.project.kind(path) === 'folder' ? 'folder' : 'file');
}

function readInside(notes: SheetNotes, at: readonly string[], written: string): string | undefined {
  const path = settled(written);
  if (path !== undefined && !isPattern(path)) return path;
  notes.add(
    at,
    'a folder inside the artifact',
    `\`${printable(written)}\`${path === undefined ? ', which leaves it' : ', a pattern'}`,
    folderOf(written) === '' ? 'write `data/`, say' : 'write the path from the top of the artifact',
  );
  return undefined;
}
