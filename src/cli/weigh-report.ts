/** Writes the page of weights, with the findings about what is in it. */
import { resolve } from 'node:path';
import { printable } from '../core/base/text';
import { writeWhole } from '../core/disk/write';
import { checkTarget, type CheckedArtifact } from '../core/pipeline/check';
import type { Growth, Weighed } from '../core/pipeline/weigh';
import { targetsOf } from '../core/project/targets';
import { surroundings } from './machine';
import type { Session } from './session';
import { weightsPage } from './views/weights-page';

export interface WeighedNow {
  readonly one: Weighed;
  readonly grown: Growth | undefined;
}

/** @throws EmballageError where it cannot be written */
export async function writeReport(
  file: string,
  all: readonly WeighedNow[],
  over: string | undefined,
  session: Session,
  scratch: string,
): Promise<void> {
  const facts = [];
  for (const { one, grown } of all) {
    const checked = await checkedOf(one, session, scratch);
    facts.push({
      weighed: one,
      ...(checked !== undefined && { checked }),
      ...(grown !== undefined && { growth: { since: over ?? '', growth: grown } }),
    });
  }
  const [first] = all;
  const title = all.length === 1 ? `What takes the room in ${first?.one.name ?? ''}` : 'What takes the room';
  writeWhole(resolve(session.cwd, file), weightsPage(title, facts), printable(file));
}

/** What `check` has to say of it; nothing of what is no function of the sheet. */
async function checkedOf(weighed: Weighed, session: Session, scratch: string): Promise<CheckedArtifact | undefined> {
  if (weighed.origins !== 'known' || !session.hasSheet()) return undefined;
  const project = await session.openProject();
  const target = targetsOf(project.sheet.functions).find(
    ({ spec, arch }) => spec.name === weighed.name && arch === weighed.arch,
  );
  if (target === undefined) return undefined;
  return checkTarget(project, target, {
    ...{ jobs: session.jobs, machine: session.machine(), scratch, today: session.today() },
    surroundings: surroundings(project.root),
  });
}
