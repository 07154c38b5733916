/** What a destination wants of papers, and how those of an artifact stand to it. */
import { resolve } from 'node:path';
import type { FunctionFacts } from '../../findings/rule';
import type { PaperTexts } from '../../project/papers';
import type { Project } from '../../project/targets';
import type { Destination } from '../../sheet';
import type { Waybill } from '../../waybill';
import { keysFrom } from './key-files';
import { verifyPapers } from './verify';

export interface FoundPapers {
  /** Of the artifact, in hexadecimal; of an image’s manifest. */
  readonly sha256: string;
  readonly waybill: Waybill | undefined;
  readonly waybillText: () => string;
  readonly papers: PaperTexts;
}

/** Nothing where there are none and none is wanted. @throws EmballageError KEY_INVALID */
export async function wantedPapers(
  { root }: Pick<Project, 'root'>,
  { wants }: Destination,
  { sha256, waybill, waybillText, papers }: FoundPapers,
): Promise<Pick<FunctionFacts, 'papers'>> {
  const hasSome = Object.keys(papers).length > 0;
  if (wants === undefined && !hasSome) return {};
  const signedBy = wants?.signedBy ?? [];
  const keys = await keysFrom(signedBy.map((shown) => ({ path: resolve(root, shown), shown })));
  const known = waybill === undefined ? undefined : { value: waybill, text: waybillText() };
  const claims = hasSome ? verifyPapers({ sha256, waybill: known, papers, keys }) : [];
  return {
    papers: {
      hasBill: papers.cyclonedx !== undefined || papers.spdx !== undefined,
      hasProvenance: papers.provenance !== undefined,
      failed: claims.flatMap(({ what, holds, found = '' }) => (holds === false ? [{ what, found }] : [])),
    },
  };
}
