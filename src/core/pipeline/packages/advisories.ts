/** Holds packages against records of known faults: by the ecosystem's own order of versions, and by what is reached. */
import { compareSemver, isSemver } from '../../base/semver-order';
import type { AdvisoryFact, PackageFact, PackageStanding } from '../../findings/rule';
import type { OsvAffected } from '../../formats/osv';
import { LANGUAGES, type Describing } from '../../languages';
import { bad, readAdvisories, type AdvisoryPlace, type ReadRecord } from './read-advisories';

/** In the order of the packages, then of the records' names. @throws EmballageError ADVISORIES_INVALID */
export async function advisoriesOf(place: AdvisoryPlace, packages: readonly PackageFact[]): Promise<AdvisoryFact[]> {
  if (packages.length === 0) return [];
  const ecosystems = await describingByEcosystem();
  const names = new Set(packages.map(({ ecosystem, plainName }) => keyOf(ecosystem, plainName)));
  const isWanted = (name: string): boolean =>
    [...ecosystems].some(([ecosystem, { plainName }]) => names.has(keyOf(ecosystem, plainName(name))));
  const records = (await readAdvisories(place, { names: [...names], isWanted })).filter(
    ({ record }) => record.withdrawn === undefined,
  );
  records.sort((a, b) => (a.record.id < b.record.id ? -1 : 1));
  const osv = await import('../../formats/osv');
  return packages.flatMap((one) => {
    const describing = ecosystems.get(one.ecosystem);
    return describing === undefined ? [] : faultsOf(one, records, describing, osv);
  });
}

async function describingByEcosystem(): Promise<Map<string, Describing>> {
  const all = await Promise.all(
    LANGUAGES.flatMap(({ describing }) => (describing === undefined ? [] : [describing()])),
  );
  return new Map(all.map((one) => [one.ecosystem, one]));
}

const SEMANTIC = { compare: compareSemver, isVersion: isSemver };

type Osv = typeof import('../../formats/osv');

/** Two records that are of the same fault, as their aliases say, are one. */
function faultsOf(one: PackageFact, records: readonly ReadRecord[], describing: Describing, osv: Osv): AdvisoryFact[] {
  const facts: AdvisoryFact[] = [];
  for (const { record, shown } of records) {
    const orders = { ecosystem: describing, semantic: SEMANTIC };
    const version = one.version.replace(/^v(?=\d)/, '');
    const hit = (record.affected ?? []).find(
      (affected) => isAbout(affected, one, describing) && holds(affected, shown),
    );
    function holds(affected: OsvAffected, where: string): boolean {
      try {
        return osv.isAffected(version, affected, orders);
      } catch (error) {
        if (error instanceof osv.RangeFault)
          throw bad(where, 'ranges of versions (OSV Schema, `affected[].ranges`)', error.message, error);
        throw error;
      }
    }
    const names = [record.id, ...(record.aliases ?? [])];
    if (
      hit === undefined ||
      facts.some(({ id, aliases }) => names.some((name) => name === id || aliases.includes(name)))
    )
      continue;
    const modules = osv.modulesOf(hit);
    const severity = osv.severityOf(record, hit);
    const fixed = osv.firstFixed(version, hit, orders);
    facts.push({
      id: record.id,
      aliases: record.aliases ?? [],
      summary: record.summary ?? firstLine(record.details) ?? 'a known fault',
      package: one,
      modules,
      standing: standingOf(one, modules),
      ...(severity !== undefined && { severity }),
      ...(fixed !== undefined && { fixed }),
    });
  }
  return facts;
}

function isAbout({ package: about }: OsvAffected, one: PackageFact, { plainName }: Describing): boolean {
  if (about === undefined) return false;
  // `NAME:https://…` names a place as well (OSV Schema, "Defined ecosystems").
  const [ecosystem] = about.ecosystem.split(':');
  return ecosystem === one.ecosystem && plainName(about.name) === one.plainName;
}

/** Where a record names modules, they count and not the package. */
function standingOf(one: PackageFact, modules: readonly string[]): PackageStanding {
  if (modules.length === 0 || one.standing === 'left-out' || one.standing === 'untraced') return one.standing;
  const wanted = new Set(modules.map(plainModule));
  const has = (paths: readonly string[]): boolean => paths.some((path) => wanted.has(plainModule(path)));
  if (has(one.reached)) return 'reached';
  return has(one.packed) ? 'packed' : 'left-out';
}

/** A module however it is written: `a/b.py`, `a.b`, `a/b/__init__.py`, `a/b/index.js`, `a/b/C.class`. */
function plainModule(text: string): string {
  const path = text.includes('/') ? text.replace(/\.[A-Za-z0-9]{1,5}$/, '') : text;
  return path.replace(/\/(?:__init__|index|mod)$/, '').replace(/::|\//g, '.');
}

function firstLine(text: string | undefined): string | undefined {
  return text
    ?.split('\n')
    .find((line) => line.trim() !== '')
    ?.slice(0, 200);
}

function keyOf(ecosystem: string, name: string): string {
  return `${ecosystem}\0${name}`;
}
