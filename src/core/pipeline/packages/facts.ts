/** What is known of the packages that an artifact was made of. */
import { contentDigest } from '../../disk/digest';
import type { PackageFact } from '../../findings/rule';
import { packageLicence, type PackageLicence } from '../../findings/licences';
import { languageOf, type Describing } from '../../languages';
import type { LockedPackage } from '../../project/lock/lockfile';
import { packageStore } from '../../project/user-packages';
import { KINDS, type StateFolder } from '../../project/state/state';
import type { LanguageId } from '../../sheet';
import type { Waybill } from '../../waybill';
import { packageTexts } from './package-texts';
import { standings } from './standing';

export interface PackagesRequest {
  readonly waybill: Waybill;
  readonly language: LanguageId;
  /** What was settled for the target, where the lock is still the one of the artifact. */
  readonly locked: readonly LockedPackage[];
  readonly state: StateFolder;
}

/** In the order of the waybill. @returns undefined for languages that have no packages */
export async function packageFacts(request: PackagesRequest): Promise<PackageFact[] | undefined> {
  const { waybill, language } = request;
  const describing = await languageOf(language).describing?.();
  if (describing === undefined) return undefined;
  const packages = waybill.packages.filter(({ file }) => describing.isPackage?.(file) ?? true);
  const licences = await licencesOf(request, packages, describing);
  const stands = standings(waybill, describing.isCompiledIn === true);
  return packages.map((one, i) => {
    const { name, version, file, sha256, by } = one;
    const licence = licences[i];
    return {
      name,
      version,
      sha256,
      by,
      plainName: describing.plainName(name),
      ecosystem: describing.ecosystem,
      purl: describing.purl({ name, version, file }),
      ...stands(one),
      ...(licence !== undefined && { licence }),
    };
  });
}

/** Of each what it says of itself; undefined for what is not here. Remembered by what they are. */
async function licencesOf(
  { locked, state }: PackagesRequest,
  packages: Waybill['packages'],
  describing: Describing,
): Promise<(PackageLicence | undefined)[]> {
  const rows = packages.map((one) => locked.find(({ sha256 }) => sha256 === one.sha256));
  const stated = rows.map((row) => (row === undefined ? undefined : describing.licence([], row)));
  const name = contentDigest(JSON.stringify(packages.map(({ sha256 }, i) => [sha256, stated[i] ?? null])));
  const known = state.recall(KINDS.licences, name) as PackageLicence[] | undefined;
  if (known !== undefined) return known;
  const store = packageStore({ state });
  const found: (PackageLicence | undefined)[] = [];
  for (const [i, { sha256, file }] of packages.entries()) {
    const stored = store.find(sha256);
    const texts = stored === undefined ? undefined : await packageTexts(stored.path, file, describing);
    const own = texts === undefined ? stated[i] : describing.licence(texts, rows[i]);
    found.push(own === undefined && texts === undefined ? undefined : packageLicence(own, texts ?? []));
  }
  if (packages.every(({ sha256 }) => store.find(sha256) !== undefined)) state.remember(KINDS.licences, name, found);
  return found;
}
