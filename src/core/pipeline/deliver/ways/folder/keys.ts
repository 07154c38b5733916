/** What `deliver` says of a folder. */
import { text, type WaySheetKeys } from '../../../../sheet';

export const folderKeys: WaySheetKeys<'folder'> = {
  field: text('a folder').min(1, { error: 'a folder' }).optional().meta({
    description: 'A folder or mounted share; where the path is relative, from the project folder.',
  }),
  beside: {},
  settle: (written) => ({ folder: written.folder as string }),
};
