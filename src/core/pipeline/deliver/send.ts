/** Sends functions to destinations, whole, and notes it in the ledger; nothing that is there already is sent. */
import type { Project } from '../../project/targets';
import type { Destination, FunctionSpec } from '../../sheet';
import { noteDelivery, readLedger, standing, type Delivery } from './ledger';
import { configurationDigest, type Load } from './load';
import { wayKind } from './ways';
import type { Look, SendOptions, SentBlob, What, Drift, Way } from './ways';

export interface Sent {
  readonly delivery: Delivery;
  readonly what: What;
  readonly drifts: readonly Drift[];
  readonly blobs: readonly SentBlob[];
  /** Whether the same stood there already. */
  readonly isSame: boolean;
}

export interface SendRequest extends SendOptions {
  readonly project: Project;
  readonly way: Way;
  readonly load: Load;
  /** The destination that it comes from, where it is promoted. */
  readonly from?: string;
  /** All of it is sent, whatever stands there. */
  readonly isWhole: boolean;
  /** Milliseconds since 1970. */
  readonly now: () => number;
}

export type LookRequest = Pick<SendRequest, 'project' | 'way' | 'load' | 'tags' | 'isWhole'>;

/** What would be sent. @param last the newest delivery that stands at the same place */
export async function lookAtDestination(request: LookRequest, last = lastAt(request)): Promise<Look> {
  const { way, load, tags, isWhole } = request;
  const look = await way.look(load, last, { tags });
  return isWhole ? { ...look, what: whole(look, way) } : look;
}

function lastAt({ project, way, load }: LookRequest): Delivery | undefined {
  return standing(readLedger(project), load.name, load.destination.name).find(({ at }) => at === way.at);
}

function whole({ what }: Look, { isTold }: Way): What {
  return isTold ? 'both' : what === 'nothing' ? 'code' : what;
}

export async function send(request: SendRequest): Promise<Sent> {
  const { project, way, load, from } = request;
  const last = lastAt(request);
  const look = await lookAtDestination(request, last);
  const isSame = look.what === 'nothing';
  // Other tags may be new.
  const { isTagged, takesParts } = wayKind(way.name);
  if (isSame && last !== undefined && isTagged !== true)
    return { delivery: last, what: 'nothing', drifts: [], blobs: [], isSame };
  const { blobs, artifacts, ...where } = await way.send(load, look, request);
  const delivery: Delivery = {
    function: load.name,
    destination: load.destination.name,
    way: way.name,
    at: way.at,
    ...where,
    artifacts: artifacts ?? Object.fromEntries(load.parts.map(({ arch, sha256 }) => [arch, `sha256:${sha256}`])),
    // What a registry takes in parts has one only where papers name it.
    ...((load.form.isLayered !== true || takesParts !== true || load.parts.some(({ papers }) => papers.length > 0)) && {
      waybills: Object.fromEntries(load.parts.map(({ arch, waybill }) => [arch, `sha256:${waybill.sha256}`])),
    }),
    ...papersField(load),
    ...(way.isTold && { configuration: configurationDigest(load.configuration) }),
    ...(from !== undefined && { from }),
    sent: new Date(request.now()).toISOString(),
  };
  await noteDelivery(project, delivery, isTagged === true);
  return { delivery, what: look.what, drifts: look.drifts, blobs, isSame };
}

function papersField({ parts }: SendRequest['load']): Pick<Delivery, 'papers'> {
  if (parts.every(({ papers }) => papers.length === 0)) return {};
  const rows = parts.map(({ arch, papers }) => [
    arch,
    Object.fromEntries(papers.map(({ kind, sha256 }) => [kind, `sha256:${sha256}`])),
  ]);
  return { papers: Object.fromEntries(rows) as NonNullable<Delivery['papers']> };
}

/** The destination of a name, or the function's own. */
export function destinationOf(project: Project, spec: FunctionSpec, name: string | undefined): Destination {
  const destination = project.sheet.destinations[name ?? spec.destination];
  if (destination === undefined) throw new Error(`no destination ${name ?? spec.destination}`);
  return destination;
}
