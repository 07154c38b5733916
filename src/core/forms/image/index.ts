/** Images: layers on a base, as a layout of the open standard (OCI image specification 1.1), for one processor. */
import type { Form } from '../form';
import type { ImageKeys } from './own';
import { wholeLayoutPath } from './paths';

declare module '../../sheet/model' {
  interface Forms {
    image: true;
  }
  interface FormKeys {
    /** Images: what they stand on, and how they are cut. */
    readonly image?: ImageKeys;
    /** Images: whether a build also writes the layout as one tar archive. */
    readonly isArchived?: true;
  }
}

export const image: Form<'image'> = {
  id: 'image',
  title: 'image',
  titles: 'images',
  ending: '.oci',
  fileEnding: '.oci.tar',
  mediaType: 'application/vnd.oci.image.manifest.v1+json',
  isDeflated: true,
  isLayered: true,
  places: 'folder',
  keys: ['base', 'layers', 'user', 'labels', 'archive'],
  openKeys: async (languages) => (await import('./keys')).imageKeys(languages),
  alsoPlaced: (name) => [`${wholeLayoutPath(name)}/index.json`],
  digest: async (path, shown) => (await import('./digest')).imageDigest(path, shown),
  mayBe: (path, stat) => stat.isDirectory() || /\.tar$/i.test(path),
  open: async () => (await import('./work')).imageWork,
};

export { functionPath } from './cut';
export { imageIndex, platformOf } from './documents';
export { chooseImage } from './image-subject';
