/** The manifest of a package, `NAME.nuspec`: what it is, what it asks for, its licence (".nuspec reference"). */
import { EmballageError } from '../../../base/errors';
import { printable } from '../../../base/text';
import { child, children, childText, readXml, type XmlElement } from '../../../formats/xml';
import { parseVersion, type PackageVersion } from './version';

export interface Dependency {
  readonly name: string;
  /** As it is written; '' for any version. */
  readonly range: string;
  /** What of it counts for who asks; all where it does not say. */
  readonly include?: readonly string[];
  readonly exclude: readonly string[];
}

export interface DependencyGroup {
  /** `net8.0`; '' for all. */
  readonly framework: string;
  readonly dependencies: readonly Dependency[];
}

export interface Nuspec {
  readonly name: string;
  readonly version: PackageVersion;
  readonly groups: readonly DependencyGroup[];
  /** It is a tool for developing, and nothing of it is there when a function runs. */
  readonly isForDeveloping: boolean;
  /** Expression of SPDX, name of the file in the package, or address. */
  readonly licence?: { readonly type: 'expression' | 'file' | 'address'; readonly text: string };
}

const MOST_DEPENDENCIES = 2000;

/** @throws EmballageError PACKAGE_INVALID */
export function readNuspec(text: string, shown: string): Nuspec {
  const read = readXml(text);
  if ('fault' in read) throw bad(shown, 'XML', read.fault.what);
  const metadata = child(read.root, 'metadata');
  const name = childText(metadata, 'id') ?? '';
  const written = childText(metadata, 'version') ?? '';
  const version = parseVersion(written);
  if (!isPackageName(name)) throw bad(shown, 'an `id`', name === '' ? 'none' : `\`${printable(name)}\``);
  if (version === undefined) throw bad(shown, 'a `version`', written === '' ? 'none' : `\`${printable(written)}\``);
  const dependencies = child(metadata, 'dependencies');
  const groups = children(dependencies, 'group').map((group) => ({
    framework: group.attributes.targetFramework ?? '',
    dependencies: dependenciesIn(group),
  }));
  const plain = dependenciesIn(dependencies);
  const all = plain.length > 0 ? [...groups, { framework: '', dependencies: plain }] : groups;
  if (all.some((group) => group.dependencies.length > MOST_DEPENDENCIES))
    throw bad(shown, `at most ${String(MOST_DEPENDENCIES)} dependencies`, 'more');
  const licence = licenceOf(metadata);
  return {
    name,
    version,
    groups: all,
    isForDeveloping: childText(metadata, 'developmentDependency')?.toLowerCase() === 'true',
    ...(licence !== undefined && { licence }),
  };
}

/** What a package may be called ("Package ID"); it becomes part of paths and addresses. */
export function isPackageName(name: string): boolean {
  return /^[A-Za-z0-9_]+(?:[.-][A-Za-z0-9_]+)*$/.test(name) && name.length <= 100;
}

function dependenciesIn(group: XmlElement | undefined): Dependency[] {
  const list = (text: string | undefined): string[] | undefined =>
    text?.split(',').map((one) => one.trim().toLowerCase());
  return children(group, 'dependency').map(({ attributes }) => {
    const include = list(attributes.include);
    return {
      name: attributes.id ?? '',
      range: attributes.version ?? '',
      ...(include !== undefined && { include }),
      exclude: list(attributes.exclude) ?? [],
    };
  });
}

function licenceOf(metadata: XmlElement | undefined): Nuspec['licence'] {
  const stated = child(metadata, 'license');
  const type = stated?.attributes.type;
  if (stated !== undefined && (type === 'expression' || type === 'file')) return { type, text: stated.text.trim() };
  const address = childText(metadata, 'licenseUrl');
  // What stands there beside a file or an expression says nothing.
  return address === undefined || /aka\.ms\/deprecateLicenseUrl/i.test(address)
    ? undefined
    : { type: 'address', text: address };
}

function bad(where: string, expected: string, found: string): EmballageError {
  return new EmballageError('PACKAGE_INVALID', {
    doing: 'reading the manifest of a package',
    where: printable(where),
    expected,
    found,
    mend: 'ask who made the package, or choose another version',
  });
}
