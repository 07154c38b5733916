/** One POM as it is written: nothing inherited, no property filled in. */
import { EmballageError } from '../../../base/errors';
import { present } from '../../../base/present';
import { printable } from '../../../base/text';
import { child, children, childText, readXml, type XmlElement } from '../../../formats/xml';
import { readActivation, type Activation } from './activation';

export interface Coordinates {
  readonly group: string;
  readonly artifact: string;
  readonly version: string;
}

/** A dependency as it is written; what is left out is undefined. */
export interface RawDependency {
  readonly group: string;
  readonly artifact: string;
  readonly version?: string;
  readonly type?: string;
  readonly classifier?: string;
  readonly scope?: string;
  readonly optional?: string;
  readonly exclusions: readonly { readonly group: string; readonly artifact: string }[];
  /** Line in its POM. */
  readonly line: number;
  readonly column: number;
}

export interface Profile extends Activation {
  readonly properties: Readonly<Record<string, string>>;
  readonly dependencies: readonly RawDependency[];
  readonly managed: readonly RawDependency[];
}

export interface Pom {
  readonly group?: string;
  readonly artifact: string;
  readonly version?: string;
  readonly packaging: string;
  readonly parent?: Coordinates & { readonly relativePath: string; readonly line: number };
  readonly properties: Readonly<Record<string, string>>;
  readonly dependencies: readonly RawDependency[];
  readonly managed: readonly RawDependency[];
  readonly profiles: readonly Profile[];
  /** Names of its licences, or their addresses. */
  readonly licences: readonly string[];
  /** Where the artifact has moved to. */
  readonly relocation?: { readonly group?: string; readonly artifact?: string; readonly version?: string };
}

/**
 * @param shown what messages call it
 * @throws EmballageError REQUIREMENTS_INVALID
 */
export function readPom(text: string, shown: string): Pom {
  const read = readXml(text);
  if ('fault' in read) throw invalidPom(shown, read.fault.what, read.fault);
  const { root } = read;
  if (root.name !== 'project')
    throw invalidPom(shown, /^html$/i.test(root.name) ? 'a web page' : `an element \`${printable(root.name)}\``, root);
  const artifact = childText(root, 'artifactId');
  if (artifact === undefined) throw invalidPom(shown, 'no `artifactId`', root);
  const relocation = child(child(root, 'distributionManagement'), 'relocation');
  return present({
    group: childText(root, 'groupId'),
    artifact,
    version: childText(root, 'version'),
    packaging: childText(root, 'packaging') ?? 'jar',
    parent: readParent(child(root, 'parent'), shown),
    properties: readProperties(root),
    dependencies: readDependencies(root, shown),
    managed: readDependencies(child(root, 'dependencyManagement'), shown),
    profiles: children(child(root, 'profiles'), 'profile').map((one) => readProfile(one, shown)),
    licences: licencesOf(root),
    relocation:
      relocation === undefined
        ? undefined
        : present({
            group: childText(relocation, 'groupId'),
            artifact: childText(relocation, 'artifactId'),
            version: childText(relocation, 'version'),
          }),
  });
}

/** @param root the element `project` of a POM @returns names of licences, or their addresses */
export function licencesOf(root: XmlElement): string[] {
  const stated = children(child(root, 'licenses'), 'license');
  return stated.flatMap((one) => childText(one, 'name') ?? childText(one, 'url') ?? []);
}

/** The error for a POM, with the place in it. */
export function invalidPom(
  shown: string,
  found: string,
  place: { readonly line: number; readonly column?: number },
  expected = 'a POM (`<project>` with `artifactId`)',
): EmballageError {
  return new EmballageError('REQUIREMENTS_INVALID', {
    doing: 'reading a POM',
    where: `${printable(shown)}:${String(place.line)}:${String(place.column ?? 1)}`,
    expected,
    found,
    mend: 'mend the file, or name another version; a repository that answers so is not the one you meant',
  });
}

function readParent(element: XmlElement | undefined, shown: string): Pom['parent'] {
  if (element === undefined) return undefined;
  const [group, artifact, version] = ['groupId', 'artifactId', 'version'].map((name) => childText(element, name));
  if (group === undefined || artifact === undefined || version === undefined)
    throw invalidPom(
      shown,
      'a parent without one of these',
      element,
      '`groupId`, `artifactId` and `version` of the parent',
    );
  const relativePath = child(element, 'relativePath')?.text ?? '../pom.xml';
  return { group, artifact, version, relativePath, line: element.line };
}

function readProperties(element: XmlElement): Record<string, string> {
  return Object.fromEntries((child(element, 'properties')?.children ?? []).map(({ name, text }) => [name, text]));
}

function readDependencies(element: XmlElement | undefined, shown: string): RawDependency[] {
  return children(child(element, 'dependencies'), 'dependency').map((one) => {
    const [group, artifact] = [childText(one, 'groupId'), childText(one, 'artifactId')];
    if (group === undefined || artifact === undefined)
      throw invalidPom(shown, 'a dependency without one of these', one, '`groupId` and `artifactId`');
    return present({
      group,
      artifact,
      version: childText(one, 'version'),
      type: childText(one, 'type'),
      classifier: childText(one, 'classifier'),
      scope: childText(one, 'scope'),
      optional: childText(one, 'optional'),
      exclusions: children(child(one, 'exclusions'), 'exclusion').map((two) => ({
        group: childText(two, 'groupId') ?? '*',
        artifact: childText(two, 'artifactId') ?? '*',
      })),
      line: one.line,
      column: one.column,
    });
  });
}

function readProfile(element: XmlElement, shown: string): Profile {
  return {
    ...readActivation(element),
    properties: readProperties(element),
    dependencies: readDependencies(element, shown),
    managed: readDependencies(child(element, 'dependencyManagement'), shown),
  };
}
