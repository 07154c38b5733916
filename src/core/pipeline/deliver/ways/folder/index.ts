/** Into a folder or a mounted share. */
import type { WayKind } from '../way';

declare module '../../../../sheet/model' {
  interface Ways {
    /** Absolute, or relative to the project. */
    folder: { readonly folder: string };
  }
}

export const folder: WayKind<'folder'> = {
  name: 'folder',
  units: { sent: 'file', deleted: 'file' },
  openKeys: async () => (await import('./keys')).folderKeys,
  open: async ({ project }, deliver) => (await import('./way')).openFolder(project, deliver.folder),
  there: ({ at }) => ({ way: 'folder', folder: at }),
};
