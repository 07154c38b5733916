/** Makes the papers of an artifact: two bills of materials, where it comes from, and signatures. */
import { basename, join } from 'node:path';
import { existsSync, readFileSync } from 'node:fs';
import { EmballageError } from '../../base/errors';
import { listed, printable } from '../../base/text';
import { fileDigest } from '../../disk/digest';
import { guarded } from '../../disk/write';
import { isSshKey, writeEnvelope, writeSshSignature, type SigningKey } from '../../formats/signing';
import { lockNameOf } from '../../project/lock/lockfile';
import { paperPath, PAPERS, type PaperTexts } from '../../project/papers';
import { artifactPath, waybillPath, type Project, type Target } from '../../project/targets';
import { verifyAgainstWaybill } from '../../project/verify-artifact';
import type { Waybill } from '../../waybill';
import { sourceFiles } from '../build';
import { thirdPartyFacts, type ThirdPartyFacts } from '../packages';
import { makeBill } from './bill';
import { writeCycloneDx } from './cyclonedx';
import { hashFiles } from './hash-files';
import { LOCAL_BUILDER, writeProvenance } from './provenance';
import { writeSpdx } from './spdx';

export interface VouchRequest {
  readonly project: Project;
  readonly target: Target;
  readonly keys: readonly SigningKey[];
  /** Who built it; nobody in particular without one. */
  readonly builder?: string;
  /** Absolute path of a folder for layers of images; the caller removes it. */
  readonly scratch: string;
}

/**
 * The papers of what was built, which has to be of the sources as they are.
 * @throws EmballageError ARTIFACT_MISSING, ARTIFACT_MIXED, LOCK_OUTDATED where a package is not here to be read
 */
export async function makePapers(request: VouchRequest): Promise<PaperTexts> {
  const { project, target, keys, builder = LOCAL_BUILDER, scratch } = request;
  const waybill = await verifyAgainstWaybill(project, target);
  const third = await thirdPartyFacts(project, target, waybill);
  const { packages = [], advisories = [], licences } = third;
  refuseUnread(target, third);
  const shown = artifactPath(target);
  const sha1 = await hashFiles({ waybill, path: join(project.root, shown), shown, scratch });
  const bill = makeBill({ waybill, packages, policy: licences, advisories, accept: target.spec.accept, sha1 });
  const [cyclonedx, spdx] = [writeCycloneDx(bill), writeSpdx(bill)];
  const provenance = writeProvenance({
    waybill,
    packages,
    builder,
    sheet: project.files[0] ?? '',
    byproducts: {
      [basename(waybillPath(target))]: readFileSync(join(project.root, waybillPath(target)), 'utf8'),
      [basename(paperPath(target, 'cyclonedx'))]: cyclonedx,
      [basename(paperPath(target, 'spdx'))]: spdx,
    },
    sources: await sourcesOf(project, target, waybill),
  });
  return { cyclonedx, spdx, provenance, ...signaturesOf(Buffer.from(provenance, 'utf8'), keys) };
}

/** SSH keys sign the file itself; all others an envelope around it. */
function signaturesOf(statement: Buffer, keys: readonly SigningKey[]): PaperTexts {
  const enveloped = keys.filter((one) => !isSshKey(one));
  const [first] = keys.filter(isSshKey);
  return {
    ...(enveloped.length > 0 && { envelope: writeEnvelope(PAPERS.provenance.mediaType, statement, enveloped) }),
    ...(first !== undefined && { ssh: writeSshSignature(statement, first) }),
  };
}

/** Papers depend on what packages say, and not on what happens to be here. */
function refuseUnread({ spec, arch }: Target, { packages = [] }: ThirdPartyFacts): void {
  const unread = packages.filter(({ licence }) => licence === undefined);
  if (unread.length === 0) return;
  throw new EmballageError('LOCK_OUTDATED', {
    doing: `vouching for ${spec.name} for ${arch}`,
    where: listed(unread.slice(0, 3).map(({ name, version }) => printable(`${name} ${version}`))),
    expected: 'the packages that the lock names, here to be read',
    found: unread.length === 1 ? 'this one is not' : `${String(unread.length)} of them are not`,
    mend: `fetch them: \`emballage lock ${spec.name}\`, then \`emballage build ${spec.name}\` without the shared store`,
  });
}

/** Sheet, destination, lock, and every file of the source. */
async function sourcesOf(
  project: Project,
  { spec }: Target,
  waybill: Waybill,
): Promise<{ readonly path: string; readonly sha256: string }[]> {
  const destination = project.sheet.destinations[spec.destination]?.file;
  const lock = lockNameOf(project);
  const needsLock = waybill.packages.length > 0 || waybill.image?.base !== undefined;
  const stated = [
    project.files[0] ?? '',
    ...project.files.slice(1).filter((file) => destination?.endsWith(file) === true),
    ...(needsLock && existsSync(join(project.root, lock)) ? [lock] : []),
  ];
  const { entries } = await sourceFiles(project, spec, waybill.packages.length > 0);
  const own = entries.flatMap((entry) =>
    entry.kind === 'file' && entry.origin.from === 'source' ? [[entry.origin.at, entry.source] as const] : [],
  );
  const all = new Map([...stated.map((path) => [path, join(project.root, path)] as const), ...own]);
  return [...all].map(([path, at]) => ({ path, sha256: guarded(path, () => fileDigest(at)) }));
}
