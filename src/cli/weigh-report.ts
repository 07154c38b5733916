/** Writes the page of weights, with the findings about what is in it. */
import { existsSync } from 'node:fs';
import { basename, resolve } from 'node:path';
import { printable } from '../core/base/text';
import { writeInProject } from '../core/disk/write';
import { checkTarget, type CheckedArtifact } from '../core/pipeline/check';
import { compare } from '../core/pipeline/compare';
import { earlierArtifact, type Growth, type Weighed } from '../core/pipeline/weigh';
import { KNOWN } from '../core/known';
import { targetsOf } from '../core/project/targets';
import { ARCHITECTURES } from '../core/sheet';
import { surroundings } from './session/machine';
import type { Session } from './session/session';
import { weightsPage, type PageFacts } from './views/weights-page';

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
  const facts: PageFacts[] = [];
  for (const { one, grown } of all) {
    const checked = await checkedOf(one, session, scratch);
    facts.push({
      weighed: one,
      ...(checked !== undefined && { checked }),
      ...(grown !== undefined && over !== undefined && { growth: await growthOf(one, grown, over, session, scratch) }),
    });
  }
  const [first] = all;
  const title = all.length === 1 ? `What takes the room in ${first?.one.name ?? ''}` : 'What takes the room';
  writeInProject(resolve(session.cwd, file), weightsPage(title, facts), printable(file));
}

/** Growth, and where the other artifact is there too, what differs between the two. */
async function growthOf(
  weighed: Weighed,
  growth: Growth,
  over: string,
  session: Session,
  scratch: string,
): Promise<NonNullable<PageFacts['growth']>> {
  const { name, artifact } = weighed;
  const arch = ARCHITECTURES.find((one) => one === weighed.arch);
  const request = { path: resolve(session.cwd, over), shown: over, name, arch, languages: KNOWN, scratch };
  const other = earlierArtifact(request, basename(artifact));
  const root = session.hasSheet() ? (await session.openProject()).root : session.cwd;
  const own = [resolve(session.cwd, artifact), resolve(root, artifact)].find((path) => existsSync(path));
  if (other === undefined || own === undefined) return { since: over, growth };
  const compared = await compare({ path: other, shown: over }, { path: own, shown: artifact });
  return { since: over, growth, compared };
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
    jobs: session.jobs,
    machine: session.machine(),
    scratch,
    today: session.today(),
    surroundings: surroundings(project.root),
  });
}
