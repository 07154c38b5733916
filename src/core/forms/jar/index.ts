/** JARs: zip archives whose manifest comes first (JAR File Specification), read whole by the runtime. */
import { JAR_MANIFEST, JAR_TYPE } from '../../formats/jar';
import type { Form } from '../form';

declare module '../../sheet/model' {
  interface Forms {
    jar: true;
  }
}

export const jar: Form<'jar'> = {
  id: 'jar',
  title: 'JAR',
  titles: 'JARs',
  ending: '.jar',
  fileEnding: '.jar',
  mediaType: JAR_TYPE,
  isDeflated: true,
  manifest: JAR_MANIFEST,
  isForSeveral: true,
  places: 'package',
  keys: [],
  mayBe: (path, stat) => stat.isFile() && /\.jar$/i.test(path),
  open: async () => (await import('./work')).jarWork,
};
