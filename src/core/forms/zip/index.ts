/** Zip archives: the files of a function, at the top of one archive that the host unpacks. */
import type { Form } from '../form';

declare module '../../sheet/model' {
  interface Forms {
    zip: true;
  }
}

export const zip: Form<'zip'> = {
  id: 'zip',
  title: 'zip archive',
  titles: 'zip archives',
  ending: '.zip',
  fileEnding: '.zip',
  mediaType: 'application/zip',
  isDeflated: true,
  places: 'folder',
  keys: [],
  mayBe: (_path, stat) => stat.isFile(),
  open: async () => (await import('./work')).zipWork,
};
