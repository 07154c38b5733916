/** Go modules state no licence: it is known by the text that they bring. */
import { PackageURL } from 'packageurl-js';
import { compareSemver, isSemver } from '../../base/semver-order';
import type { Describing } from '../describing';

export const goDescribing: Describing = {
  ecosystem: 'Go',
  purl({ name, version }) {
    const parts = name.split('/');
    const last = parts.pop() ?? name;
    return new PackageURL('golang', parts.join('/') || null, last, version, null, null).toString();
  },
  plainName: (name) => name,
  compare: compareSemver,
  isVersion: isSemver,
  isCompiledIn: true,
  // Go Modules Reference, "Module zip files": all of it lies below `module@version/`.
  root: /^.+?@v[^/]*\//,
  isPackage: (file) => file.endsWith('.zip'),
  licence: () => undefined,
};
