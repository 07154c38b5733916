/** What the rules for licences share. */
import type { FunctionFacts, PackageFact } from './rule';
import type { LicencePolicy } from '../sheet';

/** Of what is in the artifact. */
export function packedPackages({ packages = [] }: Pick<FunctionFacts, 'packages'>): PackageFact[] {
  return packages.filter(({ standing }) => standing !== 'left-out');
}

/** The licence of a package: what the team found out counts before what it says itself. */
export function licenceOf(
  { name, version, licence }: PackageFact,
  policy: LicencePolicy | undefined,
): string | undefined {
  return policy?.known[`${name}@${version}`] ?? policy?.known[name] ?? licence?.expression;
}
