/** Binaries: the artifact is the executable itself, and nothing beside it. */
import type { Form } from '../form';

declare module '../../sheet/model' {
  interface Forms {
    binary: true;
  }
}

export const binary: Form<'binary'> = {
  id: 'binary',
  title: 'executable',
  titles: 'executables',
  ending: '',
  fileEnding: '',
  mediaType: 'application/octet-stream',
  isDeflated: false,
  isProgram: true,
  places: 'folder',
  keys: [],
  mayBe: (_path, stat) => stat.isFile(),
  open: async () => (await import('./work')).binaryWork,
};
