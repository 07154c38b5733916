/** A bill of materials in the form of SPDX 2.3 (ISO/IEC 5962), JSON. Clauses are those of the specification. */
import { formOf } from '../../forms';
import { createHash } from 'node:crypto';
import { billId, type Bill, type BillFile, type BillPackage } from './bill';

type Json = Readonly<Record<string, unknown>>;

const ARTIFACT = 'SPDXRef-Artifact';
const DOCUMENT = 'SPDXRef-DOCUMENT';

/** The bill in the words of SPDX 2.3. Same bill, same bytes. */
export function writeSpdx(bill: Bill): string {
  const { waybill, packages, allFiles } = bill;
  const ids = new Map(packages.map(({ ref }, i) => [ref, `SPDXRef-Package-${String(i + 1)}`]));
  const fileIds = new Map(allFiles.map(({ path }, i) => [path, `SPDXRef-File-${String(i + 1)}`]));
  const document = {
    spdxVersion: 'SPDX-2.3',
    dataLicense: 'CC0-1.0',
    SPDXID: DOCUMENT,
    name: `${waybill.function} for ${waybill.arch}`,
    documentNamespace: `urn:uuid:${billId(bill, 'SPDX')}`,
    creationInfo: {
      // The artifact's own time: the bill is the same whenever it is written.
      created: `${waybill.made.time.replace(' ', 'T')}Z`,
      creators: [`Tool: ${waybill.made.by.replace(' ', '-')}`],
    },
    packages: [artifactPackage(bill), ...packages.map((one) => plainPackage(one, ids.get(one.ref) ?? ''))],
    files: allFiles.map((one) => fileOf(one, fileIds.get(one.path) ?? '')),
    relationships: relationshipsOf(bill, ids, fileIds),
    ...extractedOf(packages),
  };
  return `${JSON.stringify(document, null, 2)}\n`;
}

/** 7: a package whose files are all listed. */
function artifactPackage({ waybill, allFiles }: Bill): Json {
  return {
    SPDXID: ARTIFACT,
    name: waybill.function,
    packageFileName: waybill.artifact.file,
    downloadLocation: 'NOASSERTION',
    filesAnalyzed: true,
    packageVerificationCode: { packageVerificationCodeValue: verificationCode(allFiles) },
    checksums: [{ algorithm: 'SHA256', checksumValue: waybill.artifact.sha256 }],
    licenseConcluded: 'NOASSERTION',
    licenseInfoFromFiles: ['NOASSERTION'],
    licenseDeclared: 'NOASSERTION',
    copyrightText: 'NOASSERTION',
    comment: `${waybill.form} for ${waybill.arch}, ${waybill.runtime}`,
    primaryPackagePurpose: formOf(waybill.form).isLayered === true ? 'CONTAINER' : 'APPLICATION',
  };
}

/** 7.9: SHA-1 over the SHA-1 of all files, in their order. */
function verificationCode(files: readonly BillFile[]): string {
  const sorted = files.map(({ sha1 }) => sha1).sort();
  return createHash('sha1').update(sorted.join('')).digest('hex');
}

function plainPackage(one: BillPackage, id: string): Json {
  const licence = one.licence !== undefined && 'expression' in one.licence ? one.licence.expression : 'NOASSERTION';
  const leftOut = one.trimmed.map(({ path, by }) => `${path} (${by})`);
  const comment = [
    ...(one.isLeftOut ? ['Nothing of it is in the artifact.'] : []),
    ...(one.by.length > 0 ? [`Asked for by ${one.by.join(', ')}.`] : []),
    ...(one.linked.length > 0
      ? [`Linked: ${one.linked.map(({ path, into }) => `${path} into ${into}`).join(', ')}.`]
      : []),
    ...(leftOut.length > 0 ? [`Left out: ${leftOut.join(', ')}.`] : []),
  ].join('\n');
  return {
    SPDXID: id,
    name: one.name,
    ...(one.version !== '' && { versionInfo: one.version }),
    downloadLocation: 'NOASSERTION',
    filesAnalyzed: false,
    ...(one.sha256 !== undefined && { checksums: [{ algorithm: 'SHA256', checksumValue: one.sha256 }] }),
    licenseConcluded: licence,
    licenseDeclared: licence,
    copyrightText: 'NOASSERTION',
    ...(one.purl !== undefined && {
      externalRefs: [{ referenceCategory: 'PACKAGE-MANAGER', referenceType: 'purl', referenceLocator: one.purl }],
    }),
    ...(comment !== '' && { comment }),
    primaryPackagePurpose: 'LIBRARY',
  };
}

/** 8. */
function fileOf({ path, sha256, sha1 }: BillFile, id: string): Json {
  return {
    SPDXID: id,
    fileName: `./${path}`,
    checksums: [
      { algorithm: 'SHA1', checksumValue: sha1 },
      { algorithm: 'SHA256', checksumValue: sha256 },
    ],
    licenseConcluded: 'NOASSERTION',
    licenseInfoInFiles: ['NOASSERTION'],
    copyrightText: 'NOASSERTION',
  };
}

/** 11. */
function relationshipsOf(
  { packages, needs, files }: Bill,
  ids: ReadonlyMap<string, string>,
  fileIds: ReadonlyMap<string, string>,
): Json[] {
  const relation = (from: string, relationshipType: string, to: string | undefined): Json[] =>
    to === undefined ? [] : [{ spdxElementId: from, relationshipType, relatedSpdxElement: to }];
  const own = packages.filter(({ isLeftOut }) => !isLeftOut);
  return [
    ...relation(DOCUMENT, 'DESCRIBES', ARTIFACT),
    ...files.flatMap(({ path }) => relation(ARTIFACT, 'CONTAINS', fileIds.get(path))),
    ...own.flatMap(({ ref }) => relation(ARTIFACT, 'CONTAINS', ids.get(ref))),
    ...needs.flatMap((ref) => relation(ARTIFACT, 'DEPENDS_ON', ids.get(ref))),
    ...packages.flatMap((one) => {
      const id = ids.get(one.ref) ?? '';
      return [
        ...one.files.flatMap(({ path }) => [
          ...relation(ARTIFACT, 'CONTAINS', fileIds.get(path)),
          ...relation(fileIds.get(path) ?? '', 'EXPANDED_FROM_ARCHIVE', id),
        ]),
        ...one.needs.flatMap((ref) => relation(id, 'DEPENDS_ON', ids.get(ref))),
      ];
    }),
  ];
}

/** 10: names of licences that are not in the list of SPDX. */
function extractedOf(packages: readonly BillPackage[]): Json {
  const names = packages.flatMap(({ licence }) =>
    licence !== undefined && 'expression' in licence
      ? (licence.expression.match(/\bLicenseRef-[A-Za-z0-9.-]+/g) ?? [])
      : [],
  );
  if (names.length === 0) return {};
  return {
    hasExtractedLicensingInfos: [...new Set(names)].sort().map((licenseId) => ({
      licenseId,
      extractedText: 'As its publisher says.',
      name: licenseId.slice('LicenseRef-'.length),
    })),
  };
}
