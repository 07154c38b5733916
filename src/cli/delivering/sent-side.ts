/** What was last sent of a function, fetched to be held against what is here. */
import { join } from 'node:path';
import type { Side } from '../../core/pipeline/compare';
import { selectFunction } from '../../core/project/targets';
import { chooseArch } from '../calling/calling';
import { fetchSent } from './sent-artifact';
import type { Session } from '../session/session';

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
  const { artifact, shown } = await fetchSent(project, { spec, arch }, join(scratch, 'sent'), session);
  return { path: artifact, shown };
}
