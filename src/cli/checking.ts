/** What every check of a project's artifacts is told of this machine and this day. */
import type { TargetSurroundings } from '../core/pipeline/check';
import type { Project } from '../core/project/targets';
import { surroundings } from './session/machine';
import type { Session } from './session/session';

/** @param scratch absolute path of a folder; the caller removes it */
export function surroundingsOf(project: Project, session: Session, scratch: string): TargetSurroundings {
  const { jobs } = session;
  const machine = session.machine();
  return { jobs, machine, scratch, today: session.today(), surroundings: surroundings(project.root) };
}
