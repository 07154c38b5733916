/** What an artifact of a Maven repository says of itself: its POM, or the manifest of its JAR. */
import { PackageURL } from 'packageurl-js';
import { readXml } from '../../../formats/xml';
import type { PackageText, StatedLicence } from '../../../findings/licences';
import type { Describing } from '../../describing';
import { compareVersions, licencesOf } from '../maven';

const POM = /^META-INF\/maven\/([^/]+)\/([^/]+)\/pom\.xml$/;
const PROPERTIES = /^META-INF\/maven\/([^/]+)\/([^/]+)\/pom\.properties$/;
const MANIFEST = 'META-INF/MANIFEST.MF';

export const jvmDescribing: Describing = {
  ecosystem: 'Maven',
  purl({ name, version, file = '' }) {
    const [group = '', artifact = ''] = name.split(':');
    const rest = file.replace(/\.jar$/, '').slice(`${artifact}-${version}`.length);
    const classifier = file.startsWith(`${artifact}-${version}-`) ? { classifier: rest.slice(1) } : null;
    return new PackageURL('maven', group, artifact, version, classifier, null).toString();
  },
  plainName: (name) => name.split(':').slice(0, 2).join(':'),
  compare: compareVersions,
  // Maven has an order for every text.
  isVersion: (text) => text !== '',
  metadata: /^META-INF\/(?:MANIFEST\.MF|maven\/[^/]+\/[^/]+\/pom\.xml)$/,
  licence(texts, locked) {
    if (locked?.jvm?.licences !== undefined) return { written: locked.jvm.licences, at: 'its POM' };
    return inPom(texts, locked?.name.split(':')[1]) ?? inManifest(texts);
  },
  installed: {
    file: PROPERTIES,
    read(path, text) {
      const [, group = '', artifact = ''] = PROPERTIES.exec(path) ?? [];
      const version = /^version=(.+)$/m.exec(text)?.[1]?.trim();
      const folder = path.replace(/[^/]+$/, '');
      return version === undefined ? [] : [{ name: `${group}:${artifact}`, version, folders: [folder] }];
    },
  },
};

/** A JAR that others were shaded into has their POMs as well. */
function inPom(texts: readonly PackageText[], artifact: string | undefined): StatedLicence | undefined {
  const poms = texts.filter(({ path }) => POM.test(path));
  const own = poms.find(({ path }) => POM.exec(path)?.[2] === artifact) ?? (poms.length === 1 ? poms[0] : undefined);
  const read = own === undefined ? undefined : readXml(own.text);
  if (own === undefined || read === undefined || 'fault' in read) return undefined;
  const written = licencesOf(read.root);
  return written.length === 0 ? undefined : { written, at: own.path };
}

/** OSGi Core, 3.2.1.10: `Bundle-License: Apache-2.0;link="…", MIT`. */
function inManifest(texts: readonly PackageText[]): StatedLicence | undefined {
  const text = texts.find(({ path }) => path === MANIFEST)?.text.replace(/\r?\n /g, '');
  const value = /^Bundle-License:\s*(.+)$/m.exec(text ?? '')?.[1];
  if (value === undefined) return undefined;
  const written = value
    .split(/,(?=(?:[^"]*"[^"]*")*[^"]*$)/)
    .map((one) => one.split(';')[0]?.replace(/"/g, '').trim() ?? '');
  return { written: written.filter((one) => one !== ''), at: MANIFEST };
}
