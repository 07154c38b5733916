/** `try --there`: calls what stands at a host. */
import { present } from '../../core/base/present';
import { workOf } from '../../core/languages';
import { hostClient, type HostClient } from '../../core/pipeline/deliver';
import type { NamedEvent } from '../../core/events';
import type { Project } from '../../core/project/targets';
import { adapterCalls, givenMemory, type Destination, type FunctionSpec } from '../../core/sheet';
import { judgeResponse, type Answer, type CallReport } from '../../standins/host';
import { EXIT, type ExitCode } from '../commands/command';
import { deliveryWorld, destinationNamed } from '../delivering/delivering';
import type { Session } from '../session/session';
import { callText, summaryText } from '../views/call';

/** The destination that is asked: the one that is named, or the function’s own. */
export function placeThere(project: Project, spec: FunctionSpec, named: string | undefined): Destination {
  return destinationNamed(project, named === undefined || named === '' ? spec.destination : named, '--there');
}

/** What speaks to the host of a destination, with its login. @throws EmballageError USAGE where it is no host */
export function clientThere(
  project: Project,
  destination: Destination,
  doing: string,
  session: Session,
): Promise<HostClient> {
  return hostClient(deliveryWorld(project, session), destination, doing);
}

/** Calls it with each event, and reports as for a call here. */
export async function callThere(
  project: Project,
  {
    spec,
    named,
    events,
  }: { readonly spec: FunctionSpec; readonly named: string; readonly events: readonly NamedEvent[] },
  session: Session,
): Promise<ExitCode> {
  const destination = placeThere(project, spec, named);
  const client = await clientThere(project, destination, `calling ${spec.name} at ${destination.name}`, session);
  const { paint, quiet, verbose } = session;
  const work = await workOf(spec);
  const shape = spec.adapter === undefined ? undefined : adapterCalls(spec, destination).shape;
  const plan = { file: spec.entry.file, run: work.run.host, ...present({ shape }) };
  const reports: (CallReport & { readonly run: string })[] = [];
  for (const event of events) {
    const { run, version, answer, ...rest } = await client.call(spec.name, event);
    const result: CallReport = { event: event.name, answer: answer as Answer, ...rest };
    const report = { ...(shape === undefined ? result : judgeResponse(result, shape)), run };
    if (reports.length === 0)
      session.tell(
        `${paint.bold(spec.name)} at ${destination.name}, version ${version}, ${paint.name(client.address)}\n`,
      );
    else session.tell('');
    reports.push(report);
    session.say(callText(report, plan, { paint, quiet, verbose }));
    session.tell(`    ${paint.dim(`run     ${run}`)}`);
  }
  const failed = reports.filter(({ answer }) => answer.kind === 'failed').length;
  session.document({ name: spec.name, destination: destination.name, failed, calls: reports, cut: [] });
  session.tell(summaryText(reports, { memoryBytes: givenMemory(spec, destination) }, paint));
  session.next(`log ${spec.name} --there ${destination.name}`, 'read its log there');
  return failed > 0 ? EXIT.no : EXIT.done;
}
