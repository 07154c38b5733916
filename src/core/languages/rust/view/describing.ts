/** What a crate says of itself: Cargo.toml, as its publisher normalised it. */
import { PackageURL } from 'packageurl-js';
import { parse } from 'smol-toml';
import { compareSemver, isSemver } from '../../../base/semver-order';
import type { Describing } from '../../describing';

export const rustDescribing: Describing = {
  ecosystem: 'crates.io',
  purl: ({ name, version }) => new PackageURL('cargo', null, name, version, null, null).toString(),
  plainName: (name) => name,
  compare: compareSemver,
  isVersion: isSemver,
  isCompiledIn: true,
  root: /^[^/]+\//,
  metadata: /^Cargo\.toml$/,
  licence(texts) {
    const found = texts.find(({ path }) => path === 'Cargo.toml');
    const licence = found === undefined ? undefined : statedIn(found.text);
    return licence === undefined ? undefined : { written: [licence], at: 'Cargo.toml' };
  },
};

function statedIn(text: string): string | undefined {
  try {
    const { package: own } = parse(text);
    const licence = typeof own === 'object' && 'license' in own ? own.license : undefined;
    return typeof licence === 'string' ? licence : undefined;
  } catch {
    // What cannot be read says nothing; its text may.
    return undefined;
  }
}
