/** What commands that deliver share: the world that ways need, the destination of `--to`, and checking before it. */
import { EmballageError } from '../../core/base/errors';
import { listed, nearestWord, printable } from '../../core/base/text';
import { fileMemory } from '../../core/disk/upload-memory';
import { checkTarget, stopFindings, type CheckedArtifact } from '../../core/pipeline/check';
import { wayKind, type Delivery, type DeliveryWorld } from '../../core/pipeline/deliver';
import { KINDS } from '../../core/project/state/state';
import { targetsOf, type Project } from '../../core/project/targets';
import type { Destination, FunctionSpec } from '../../core/sheet';
import type { Session } from '../session/session';
import { surroundingsOf } from '../checking';

/** What the ways of delivery need, from this session. */
export function deliveryWorld(project: Project, session: Session): DeliveryWorld {
  return {
    project,
    registry: (host, plainHttp) => session.registry(host, plainHttp),
    network: async () => (session.offline ? undefined : (await import('../session/network')).systemNetwork()),
    credentials: session.machine().credentials,
    memory: fileMemory(project.state.folder(KINDS.uploads)),
    env: process.env,
    now: () => session.now(),
  };
}

/** @param option where the name stands, for messages */
export function destinationNamed({ sheet }: Project, name: string, option: string): Destination {
  const found = sheet.destinations[name];
  if (found !== undefined) return found;
  const known = Object.keys(sheet.destinations);
  const near = nearestWord(name, known);
  throw new EmballageError('USAGE', {
    doing: 'choosing the destination',
    where: option,
    expected: `a destination of the sheet: ${listed(known, 'or')}`,
    found: `\`${printable(name)}\``,
    mend: near === undefined ? 'name one of them' : `did you mean \`${option} ${near}\`?`,
  });
}

/** The artifacts of a function as they were built, held against a destination. */
export async function checkBuilt(
  project: Project,
  spec: FunctionSpec,
  { name }: Destination,
  { session, scratch }: { readonly session: Session; readonly scratch: string },
): Promise<CheckedArtifact[]> {
  const checked: CheckedArtifact[] = [];
  for (const target of targetsOf([{ ...spec, destination: name }]))
    checked.push(await checkTarget(project, target, surroundingsOf(project, session, scratch)));
  return checked;
}

/** @returns whether nothing says stop; what does is shown */
export async function fits(checked: readonly CheckedArtifact[], session: Session): Promise<boolean> {
  if (stopFindings(checked).length === 0) return true;
  const { checkTexts } = await import('../views/check-text');
  session.say(checkTexts(checked, session));
  return false;
}

/** Where something lies, as people read it: the first place, where there are several. */
export function placeOf({ at, repository, tags, locations, way }: Delivery): string {
  if (wayKind(way).isTagged === true) {
    const place = `${at}/${repository ?? ''}`;
    return tags === undefined || tags.length === 0 ? place : tags.map((tag) => `${place}:${tag}`).join(', ');
  }
  return Object.values(locations)[0] ?? at;
}
