/** What was last sent of a function, fetched to be held against what is here. */
import { join } from 'node:path';
import { EmballageError } from '../core/base/errors';
import type { Side } from '../core/pipeline/compare';
import { isPlainHttp, readLedger, standing } from '../core/pipeline/deliver';
import { fetchImage } from '../core/pipeline/image';
import { ledgerNameOf, selectFunction } from '../core/project/targets';
import { chooseArch } from './calling';
import type { Session } from './session';

/** @param scratch absolute path of a folder; the caller removes it */
export async function sentSide(
  name: string,
  wanted: string | undefined,
  session: Session,
  scratch: string,
): Promise<Side> {
  const project = await session.openProject();
  const spec = selectFunction(project.sheet, name);
  const arch = chooseArch(spec, wanted);
  const [last] = standing(readLedger(project), spec.name);
  const digest = last?.images[arch];
  if (last === undefined || digest === undefined)
    throw new EmballageError('USAGE', {
      doing: 'looking for what was last sent',
      where: ledgerNameOf(project),
      expected: `a delivery of ${spec.name} for ${arch}`,
      found: last === undefined ? 'none that stands' : 'one without that architecture',
      mend: `name what to compare it with, or send it first: \`emballage send ${spec.name}\``,
    });
  const registry = await session.registry(last.registry, isPlainHttp(project, last));
  const folder = join(scratch, 'sent');
  const onProgress = (done: number, total: number): void =>
    session.progress.show(`fetching what was sent: ${String(Math.round((done / Math.max(1, total)) * 100))} %`);
  await fetchImage({ registry, name: last.repository, digest, arch, folder, onProgress });
  session.progress.clear();
  return { path: folder, shown: `${last.repository}@${digest.slice(0, 19)}` };
}
