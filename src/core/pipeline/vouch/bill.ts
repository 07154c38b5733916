/** What a bill of materials says, before it is written in the form of a standard. */
import { contentDigest } from '../../disk/digest';
import type { AdvisoryFact, PackageFact } from '../../findings/rule';
import { licenceOf } from '../../findings/licence-of';
import type { Acceptance, LicencePolicy } from '../../sheet';
import type { Waybill, WaybillFile } from '../../waybill';

export interface BillFacts {
  readonly waybill: Waybill;
  readonly packages: readonly PackageFact[];
  readonly policy: LicencePolicy | undefined;
  readonly advisories: readonly AdvisoryFact[];
  readonly accept: readonly Acceptance[];
  /** SHA-1 of each file of the artifact, by path, in hexadecimal. */
  readonly sha1: ReadonlyMap<string, string>;
}

export interface BillFile {
  readonly path: string;
  readonly sha256: string;
  readonly sha1: string;
}

export interface BillPackage {
  /** Its Package URL, unique in the bill. */
  readonly ref: string;
  readonly name: string;
  readonly version: string;
  readonly purl?: string;
  readonly sha256?: string;
  /** An expression of SPDX, or what the publisher wrote. */
  readonly licence?: { readonly expression: string } | { readonly written: string };
  readonly by: readonly string[];
  /** References of what it asks for. */
  readonly needs: readonly string[];
  /** Nothing of it is in the artifact. */
  readonly isLeftOut: boolean;
  readonly files: readonly BillFile[];
  /** Paths of modules that were linked into another file. */
  readonly linked: readonly { readonly path: string; readonly into: string }[];
  readonly trimmed: readonly { readonly path: string; readonly by: string }[];
}

export interface Bill {
  readonly waybill: Waybill;
  readonly packages: readonly BillPackage[];
  /** What the function itself asks for. */
  readonly needs: readonly string[];
  /** The function's own, and what was made. */
  readonly files: readonly BillFile[];
  /** All files of the artifact. */
  readonly allFiles: readonly BillFile[];
  readonly advisories: readonly AdvisoryFact[];
  readonly accept: readonly Acceptance[];
}

/** What a bill of materials says, whatever the standard that it is written in. */
export function makeBill(facts: BillFacts): Bill {
  const { waybill, advisories, accept } = facts;
  const files = new Map<string, BillFile[]>();
  const allFiles: BillFile[] = [];
  for (const { path, kind, sha256, origin } of waybill.files) {
    if (kind !== 'file' || sha256 === undefined) continue;
    const sha1 = facts.sha1.get(path);
    if (sha1 === undefined) throw new Error(`${path} was not hashed`);
    const one = { path, sha256, sha1 };
    allFiles.push(one);
    const key = keyOf(origin);
    files.set(key, [...(files.get(key) ?? []), one]);
  }
  const packages = packagesOf(facts, files);
  const owned = new Set(packages.flatMap((one) => one.files.map(({ path }) => path)));
  return {
    waybill,
    packages,
    allFiles,
    advisories,
    accept,
    files: allFiles.filter(({ path }) => !owned.has(path)),
    needs: packages
      .filter(({ by }) => !by.some((one) => packages.some((other) => isNamed(other, one))))
      .map(({ ref }) => ref),
  };
}

function packagesOf({ waybill, packages, policy }: BillFacts, files: ReadonlyMap<string, BillFile[]>): BillPackage[] {
  const linked = new Map<string, { path: string; into: string }[]>();
  for (const { path, origin, inside } of waybill.modules) {
    const key = keyOf(origin);
    linked.set(key, [...(linked.get(key) ?? []), { path, into: inside.file }]);
  }
  const different = [...new Map(packages.map((one) => [one.purl, one])).values()];
  const named = different.map((one) => {
    const key = `${one.name}\0${one.version}`;
    return {
      ref: one.purl,
      name: one.name,
      version: one.version,
      purl: one.purl,
      by: one.by,
      ...(one.sha256 !== undefined && { sha256: one.sha256 }),
      ...licenceField(one, policy),
      isLeftOut: one.standing === 'left-out',
      files: files.get(key) ?? [],
      linked: linked.get(key) ?? [],
      trimmed: waybill.trimmed.filter((file) => isOf(file.package, one, waybill)).map(({ path, by }) => ({ path, by })),
    };
  });
  const found = [...named, ...unlockedOf(waybill, files)];
  return found.map((one) => ({
    ...one,
    needs: found.filter((other) => other.by.some((by) => isNamed(one, by))).map(({ ref }) => ref),
  }));
}

/** What was found installed in the source: nobody knows its version. */
function unlockedOf(waybill: Waybill, files: ReadonlyMap<string, BillFile[]>): Omit<BillPackage, 'needs'>[] {
  const names = new Set(waybill.files.flatMap(({ origin }) => (origin.from === 'unlocked' ? [origin.name] : [])));
  return [...names].sort().map((name) => ({
    ref: `unlocked:${name}`,
    name,
    version: '',
    by: [],
    isLeftOut: false,
    files: files.get(`${name}\0`) ?? [],
    linked: [],
    trimmed: [],
  }));
}

function licenceField(one: PackageFact, policy: LicencePolicy | undefined): Pick<BillPackage, 'licence'> {
  const expression = licenceOf(one, policy);
  if (expression !== undefined) return { licence: { expression } };
  const written = one.licence?.written;
  return written === undefined ? {} : { licence: { written } };
}

/** Waybills name the package of what was taken out by its name, or by where it would lie. */
function isOf(name: string, one: PackageFact, { packages }: Waybill): boolean {
  if (name === one.name) return true;
  return packages.some(
    (row) =>
      row.name === one.name && row.version === one.version && Object.values(row).some((own) => placeOf(own) === name),
  );
}

function placeOf(own: unknown): unknown {
  return typeof own === 'object' && own !== null && 'at' in own ? own.at : undefined;
}

/** Who asks is written as a name, or with the version. */
function isNamed({ name, version }: { readonly name: string; readonly version: string }, by: string): boolean {
  return by === name || by === `${name}:${version}` || by === `${name} ${version}` || by === `${name}@${version}`;
}

function keyOf(origin: WaybillFile['origin']): string {
  if (origin.from === 'package') return `${origin.name}\0${origin.version}`;
  return origin.from === 'unlocked' ? `${origin.name}\0` : '';
}

/** A UUID that tells bills apart and is the same for the same artifact (RFC 9562, 5.8). */
export function billId({ waybill }: Pick<Bill, 'waybill'>, what: string): string {
  const hex = contentDigest(`${what}\n${JSON.stringify([waybill.artifact.sha256, waybill.function, waybill.arch])}`);
  const variant = ((parseInt(hex.slice(16, 18), 16) & 0x3f) | 0x80).toString(16);
  return [
    hex.slice(0, 8),
    hex.slice(8, 12),
    `8${hex.slice(13, 16)}`,
    `${variant}${hex.slice(18, 20)}`,
    hex.slice(20, 32),
  ].join('-');
}
