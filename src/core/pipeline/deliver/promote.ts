/** Brings the very bytes that stand at one destination, verified, so that they go to another. */
import { extname } from 'node:path';
import { EmballageError } from '../../base/errors';
import { wayIn, type Arch, type Destination } from '../../sheet';
import { readWaybillFile, type WaybillFile } from '../../project/verify-artifact';
import { readLedger, standing, type Delivery } from './ledger';
import { configurationOf, headOf, takesParts, type Payload, type PayloadRequest } from './payload';
import type { Fetched, FetchWanted, Way } from './ways';

/** The newest delivery that stands at a destination. @throws EmballageError DELIVERY_GONE */
export function deliveryAt({ project, spec }: Pick<PayloadRequest, 'project' | 'spec'>, from: Destination): Delivery {
  const [delivery] = standing(readLedger(project), spec.name, from.name);
  if (delivery !== undefined) return delivery;
  throw new EmballageError('DELIVERY_GONE', {
    doing: `looking for what stands of ${spec.name} at ${from.name}`,
    expected: 'a delivery in the ledger',
    found: 'none that stands',
    mend: `send it there first: \`emballage send ${spec.name} --to ${from.name}\``,
  });
}

export interface FetchedPayload {
  readonly payload: Payload;
  /** Of each architecture; an image at a registry has none beside it. */
  readonly waybills: ReadonlyMap<Arch, WaybillFile>;
}

/** @param way that to where it stands */
export async function fetchedPayload(
  request: PayloadRequest,
  {
    way,
    delivery,
    into,
    onProgress,
  }: { readonly way: Way; readonly delivery: Delivery } & Pick<FetchWanted, 'into' | 'onProgress'>,
): Promise<FetchedPayload> {
  const { project, spec } = request;
  const head = headOf(request);
  const { form, ending } = head;
  const isFromParts = wayIn(project.languages, way.name).takesParts === true;
  if (form.isLayered === true && isFromParts && !takesParts(project, request.destination))
    throw new EmballageError('USAGE', {
      doing: `promoting ${spec.name} from ${delivery.destination} to ${request.destination.name}`,
      expected: 'another registry: what stands at one is no single file',
      found: `\`deliver: { ${request.destination.deliver?.way ?? 'nothing'}: … }\``,
      mend: 'send what is built there instead: leave `--from` out',
    });
  const fetched = await way.fetch(delivery, { into, form, ending, onProgress });
  const waybills = await waybillsOf(project, fetched);
  const [waybill] = waybills.values();
  const { file, member } = waybill?.value.entry.loads ?? spec.entry;
  const beside = spec.beside.flatMap(({ name, setting, file: own }) => {
    const found = fetched.beside.find((one) => one.name === name);
    return found === undefined ? [] : [{ ...found, setting, ending: extname(own), shown: name }];
  });
  const configuration = configurationOf(request, { file, member });
  return { payload: { ...head, parts: fetched.parts, beside, configuration }, waybills };
}

async function waybillsOf(project: PayloadRequest['project'], { parts }: Fetched): Promise<Map<Arch, WaybillFile>> {
  const waybills = new Map<Arch, WaybillFile>();
  for (const { arch, path, waybill } of parts) {
    if (waybill.path === path) continue;
    waybills.set(arch, await readWaybillFile(waybill, project.languages));
  }
  return waybills;
}
