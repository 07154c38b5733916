/** `check --there`: compares what is declared and built with what stands at a destination, and names each drift. */
import {
  lookAtDestination,
  openWay,
  readLedger,
  standing,
  builtPayload,
  type Drift,
  type What,
} from '../../core/pipeline/deliver';
import type { Project } from '../../core/project/targets';
import type { FunctionSpec } from '../../core/sheet';
import { EXIT, type ExitCode } from '../commands/command';
import { deliveryWorld } from './delivering';
import type { Session } from '../session/session';
import { placeThere } from '../calling/remote';

interface There {
  readonly name: string;
  readonly destination: string;
  /** What `send` would have to send. */
  readonly what: What;
  readonly drifts: readonly Drift[];
}

/** Shows what stands at a destination otherwise than it is here. @returns NO where something does */
export async function checkThere(
  project: Project,
  functions: readonly FunctionSpec[],
  named: string,
  session: Session,
): Promise<ExitCode> {
  const world = deliveryWorld(project, session);
  const there: There[] = [];
  for (const spec of functions) {
    const destination = placeThere(project, spec, named);
    const way = await openWay(world, destination, `looking at what stands of ${spec.name}`);
    const variable = (name: string): string | undefined => process.env[name];
    const payload = await builtPayload({ project, spec, destination, variable, isOnlyLookedAt: true });
    const [last] = standing(readLedger(project), spec.name, destination.name);
    const tags = last?.tags ?? [];
    const { what, drifts } = await lookAtDestination({ project, way, payload, tags, isWhole: false });
    const one = { name: spec.name, destination: destination.name, what, drifts };
    there.push(one);
    show(one, session);
  }
  const drifted = there.filter(({ what }) => what !== 'nothing');
  session.document({ fit: drifted.length === 0, artifacts: [], there });
  const [first] = drifted;
  if (first === undefined) session.next('ledger', 'see what went where');
  else session.next(`send ${first.name} --to ${first.destination}`, 'send what is declared here');
  return drifted.length === 0 ? EXIT.done : EXIT.no;
}

function show({ name, destination, drifts, what }: There, session: Session): void {
  const { paint } = session;
  const verdict = what === 'nothing' ? paint.good('as declared') : paint.bad('drifted');
  session.say(`${paint.bold(name)}  ${verdict}  ${paint.name(destination)}`);
  for (const { what: of, here, there } of drifts)
    session.say(`  ${of.padEnd(24)} ${paint.dim('declared')} ${here}  ${paint.dim('there')} ${paint.doubt(there)}`);
}
