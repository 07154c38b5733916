/** Holds artifacts to their papers: what was built, what was sent, or a file by hand. */
import { existsSync } from 'node:fs';
import { basename, join, resolve } from 'node:path';
import { verifyPapers, type Claim, type KnownKey } from '../../core/pipeline/papers';
import { KNOWN } from '../../core/known';
import { formOfFile } from '../../core/forms';
import { papersOf, PAPERS, readPapers } from '../../core/project/papers';
import { artifactPath, waybillPath, type Project, type Target } from '../../core/project/targets';
import { artifactDigest, readWaybillFile } from '../../core/project/verify-artifact';
import { withScratch } from '../session/scratch';
import { fetchSent, scratchFolder } from './sent-artifact';
import type { Session } from '../session/session';

export interface Verified {
  readonly name: string;
  readonly arch?: string;
  readonly artifact: string;
  readonly claims: readonly Claim[];
  readonly holds: boolean;
}

interface OfFunction {
  readonly project: Project;
  readonly target: Target;
  readonly keys: readonly KnownKey[];
  readonly isSent: boolean;
}

/** Holds the artifact of a target to its papers: what was built, or with `isSent` what stands where it was sent. */
export async function verifiedFunction(asked: OfFunction, session: Session): Promise<Verified> {
  const { project, target, keys, isSent } = asked;
  if (isSent) return withScratch('verify', (scratch) => verifiedSent(asked, scratch, session));
  const { spec, arch } = target;
  const artifact = artifactPath(target);
  const waybill = await readWaybillFile(
    { path: join(project.root, waybillPath(target)), shown: waybillPath(target) },
    KNOWN,
  );
  const sha256 = await artifactDigest(join(project.root, artifact), artifact, spec.form);
  const claims = verifyPapers({ sha256, waybill, papers: papersOf(project, target), keys });
  return { name: spec.name, arch, artifact, ...judged(claims) };
}

async function verifiedSent(
  { project, target, keys }: OfFunction,
  scratch: string,
  session: Session,
): Promise<Verified> {
  const { spec, arch } = target;
  const sent = await fetchSent(project, target, scratchFolder(scratch), session);
  const sha256 = await artifactDigest(sent.artifact, sent.shown, spec.form);
  const claims = verifyPapers({ sha256, waybill: sent.recorded, papers: sent.papers, keys });
  return { name: spec.name, arch, artifact: sent.shown, ...judged(claims) };
}

/** Papers lie beside a file by its whole name, or without its ending. */
export async function verifiedFile(file: string, keys: readonly KnownKey[], session: Session): Promise<Verified> {
  const path = resolve(session.cwd, file);
  const form = await formOfFile(path, file);
  const bases = [file, file.replace(/(?:\.oci)?\.[a-z0-9]+$/i, '')];
  const beside = (ending: string): string =>
    bases.map((base) => `${base}${ending}`).find((one) => existsSync(resolve(session.cwd, one))) ?? `${file}${ending}`;
  const papers = readPapers((kind) => {
    const shown = beside(PAPERS[kind].ending);
    return [resolve(session.cwd, shown), shown];
  });
  const own = beside('.waybill.json');
  const waybill = existsSync(resolve(session.cwd, own))
    ? await readWaybillFile({ path: resolve(session.cwd, own), shown: own }, KNOWN)
    : undefined;
  const claims = verifyPapers({ sha256: await artifactDigest(path, file, form), waybill, papers, keys });
  return { name: basename(file), artifact: file, ...judged(claims) };
}

function judged(claims: readonly Claim[]): Pick<Verified, 'claims' | 'holds'> {
  return { claims, holds: claims.every(({ holds }) => holds !== false) };
}
