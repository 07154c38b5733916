/** When a profile of a POM or of settings counts ("Introduction to Build Profiles", "How can a profile be triggered?"). */
import type { Arch } from '../../../base/arch';
import { present } from '../../../base/present';
import { child, childText, type XmlElement } from '../../../formats/xml';
import { parseWish } from './version';

export interface Activation {
  readonly isByDefault: boolean;
  readonly jdk?: string;
  readonly property?: { readonly name: string; readonly value?: string };
  readonly os?: { readonly name?: string; readonly family?: string; readonly arch?: string; readonly version?: string };
  /** Files that have to be there, or must not. */
  readonly exists?: string;
  readonly missing?: string;
}

/** What activations are held against. */
export interface ActivationSurroundings {
  /** The Java version. */
  readonly java: number;
  readonly arch: Arch;
  /** Value of a property that is set from outside; nothing where nobody can set one. */
  readonly property?: (name: string) => string | undefined;
  /** Whether a file is there; nothing where there is no folder to look in. */
  readonly isThere?: (path: string) => boolean;
}

const ARCH_NAMES: Readonly<Record<Arch, readonly string[]>> = {
  x86_64: ['amd64', 'x86_64'],
  arm64: ['aarch64', 'arm64'],
};

/** @param profile the element `profile` */
export function readActivation(profile: XmlElement): Activation {
  const activation = child(profile, 'activation');
  const property = child(activation, 'property');
  const name = childText(property, 'name');
  const os = child(activation, 'os');
  const file = child(activation, 'file');
  return present({
    isByDefault: childText(activation, 'activeByDefault') === 'true',
    jdk: childText(activation, 'jdk'),
    property: name === undefined ? undefined : present({ name, value: childText(property, 'value') }),
    os:
      os === undefined
        ? undefined
        : present({
            name: childText(os, 'name'),
            family: childText(os, 'family'),
            arch: childText(os, 'arch'),
            version: childText(os, 'version'),
          }),
    exists: childText(file, 'exists'),
    missing: childText(file, 'missing'),
  });
}

/** Those whose conditions hold; where there are none, those that are active by default. */
export function activeProfiles<P extends Activation>(
  profiles: readonly P[],
  isActive: (profile: P) => boolean,
): readonly P[] {
  const active = profiles.filter(isActive);
  return active.length > 0 ? active : profiles.filter(({ isByDefault }) => isByDefault);
}

/** Whether every condition holds, and there is one. */
export function isActivated(activation: Activation, surroundings: ActivationSurroundings): boolean {
  const { jdk, property, os, exists, missing } = activation;
  const isConditional = [jdk, property, os, exists, missing].some((one) => one !== undefined);
  return (
    isConditional &&
    (jdk === undefined || fitsJdk(jdk, surroundings.java)) &&
    (property === undefined || fitsProperty(property, surroundings.property?.(property.name.replace(/^!/, '')))) &&
    (os === undefined || fitsOs(os, surroundings.arch)) &&
    (exists === undefined || surroundings.isThere?.(exists) === true) &&
    (missing === undefined || surroundings.isThere?.(missing) === false)
  );
}

function fitsProperty({ name, value }: NonNullable<Activation['property']>, set: string | undefined): boolean {
  const isSet = set !== undefined && set !== '';
  if (value === undefined || value === '') return isSet !== name.startsWith('!');
  return (value.replace(/^!/, '') === set) !== value.startsWith('!');
}

function fitsOs(os: NonNullable<Activation['os']>, arch: Arch): boolean {
  const fits = (wanted: string | undefined, names: readonly string[]): boolean => {
    if (wanted === undefined) return true;
    return names.includes(wanted.toLowerCase().replace(/^!/, '')) !== wanted.startsWith('!');
  };
  const isSystem = fits(os.family, ['unix']) && fits(os.name, ['linux']);
  return isSystem && fits(os.arch, ARCH_NAMES[arch]) && os.version === undefined;
}

function fitsJdk(wanted: string, java: number): boolean {
  const isNot = wanted.startsWith('!');
  const plain = wanted.replace(/^!/, '');
  const version = java < 9 ? `1.${String(java)}` : String(java);
  const wish = parseWish(plain);
  const fits = wish?.kind === 'range' ? wish.allows(version) : `${version}.`.startsWith(`${plain}.`);
  return fits !== isNot;
}
