/** Sends functions to destinations, whole, and notes it in the ledger; nothing that is there already is sent. */
import type { Project } from '../../project/targets';
import type { Destination, FunctionSpec } from '../../sheet';
import { noteDelivery, readLedger, standing, type Delivery } from './ledger';
import { configurationDigest, type Payload } from './payload';
import { wayKind } from './ways';
import type { DeliveryStatus, SendOptions, SentBlob, What, Drift, Way } from './ways';

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
  readonly payload: Payload;
  /** The destination that it comes from, where it is promoted. */
  readonly from?: string;
  /** All of it is sent, whatever stands there. */
  readonly isWhole: boolean;
  /** Milliseconds since 1970. */
  readonly now: () => number;
}

export type StatusRequest = Pick<SendRequest, 'project' | 'way' | 'payload' | 'tags' | 'isWhole'>;

/** What would be sent. @param last the newest delivery that stands at the same place */
export async function lookAtDestination(request: StatusRequest, last = lastAt(request)): Promise<DeliveryStatus> {
  const { way, payload, tags, isWhole } = request;
  const look = await way.look(payload, last, { tags });
  return isWhole ? { ...look, what: whole(look, way) } : look;
}

function lastAt({ project, way, payload }: StatusRequest): Delivery | undefined {
  return standing(readLedger(project), payload.name, payload.destination.name).find(({ at }) => at === way.at);
}

function whole({ what }: DeliveryStatus, { isTold }: Way): What {
  return isTold ? 'both' : what === 'nothing' ? 'code' : what;
}

/** Sends what is not there, and notes the delivery. @throws EmballageError of the way; then nothing is noted */
export async function send(request: SendRequest): Promise<Sent> {
  const { project, way, payload, from } = request;
  const last = lastAt(request);
  const look = await lookAtDestination(request, last);
  const isSame = look.what === 'nothing';
  // Other tags may be new.
  const { isTagged, takesParts } = wayKind(way.name);
  if (isSame && last !== undefined && isTagged !== true)
    return { delivery: last, what: 'nothing', drifts: [], blobs: [], isSame };
  const { blobs, artifacts, ...where } = await way.send(payload, look, request);
  const delivery: Delivery = {
    function: payload.name,
    destination: payload.destination.name,
    way: way.name,
    at: way.at,
    ...where,
    artifacts: artifacts ?? Object.fromEntries(payload.parts.map(({ arch, sha256 }) => [arch, `sha256:${sha256}`])),
    // What a registry takes in parts has one only where papers name it.
    ...((payload.form.isLayered !== true ||
      takesParts !== true ||
      payload.parts.some(({ papers }) => papers.length > 0)) && {
      waybills: Object.fromEntries(payload.parts.map(({ arch, waybill }) => [arch, `sha256:${waybill.sha256}`])),
    }),
    ...papersField(payload),
    ...(way.isTold && { configuration: configurationDigest(payload.configuration) }),
    ...(from !== undefined && { from }),
    sent: new Date(request.now()).toISOString(),
  };
  await noteDelivery(project, delivery, isTagged === true);
  return { delivery, what: look.what, drifts: look.drifts, blobs, isSame };
}

function papersField({ parts }: SendRequest['payload']): Pick<Delivery, 'papers'> {
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
