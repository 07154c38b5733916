/** Brings the very bytes that stand at one destination, verified, so that they go to another. */
import { readFileSync } from 'node:fs';
import { extname } from 'node:path';
import { EmballageError } from '../../base/errors';
import type { Destination } from '../../sheet';
import { readWaybill } from '../../waybill';
import { readLedger, standing, type Delivery } from './ledger';
import { configurationOf, headOf, type Load, type LoadRequest } from './load';
import type { FetchWanted, Way } from './ways/way';

/** The newest delivery that stands at a destination. @throws EmballageError DELIVERY_GONE */
export function deliveryAt({ project, spec }: Pick<LoadRequest, 'project' | 'spec'>, from: Destination): Delivery {
  const [delivery] = standing(readLedger(project), spec.name, from.name);
  if (delivery !== undefined) return delivery;
  throw new EmballageError('DELIVERY_GONE', {
    doing: `looking for what stands of ${spec.name} at ${from.name}`,
    expected: 'a delivery in the ledger',
    found: 'none that stands',
    mend: `send it there first: \`emballage send ${spec.name} --to ${from.name}\``,
  });
}

/** @param way that to where it stands */
export async function fetchedLoad(
  request: LoadRequest,
  {
    way,
    delivery,
    into,
    onProgress,
  }: { readonly way: Way; readonly delivery: Delivery } & Pick<FetchWanted, 'into' | 'onProgress'>,
): Promise<Load> {
  const { project, spec } = request;
  const head = headOf(request);
  const { form, ending } = head;
  if (form === 'image' && way.name === 'registry' && request.destination.deliver?.way !== 'registry')
    throw new EmballageError('USAGE', {
      doing: `promoting ${spec.name} from ${delivery.destination} to ${request.destination.name}`,
      expected: 'another registry: what stands at one is no single file',
      found: `\`deliver: { ${request.destination.deliver?.way ?? 'nothing'}: … }\``,
      mend: 'send what is built there instead: leave `--from` out',
    });
  const fetched = await way.fetch(delivery, { into, form, ending, onProgress });
  const [first] = fetched.parts;
  const { file, member } = spec.entry;
  const loads =
    first === undefined || first.waybill.path === first.path
      ? { file, member }
      : (await waybillOf(project, first.waybill.path)).entry.loads;
  const beside = spec.beside.flatMap(({ name, setting, file: own }) => {
    const found = fetched.beside.find((one) => one.name === name);
    return found === undefined ? [] : [{ ...found, setting, ending: extname(own), shown: name }];
  });
  return { ...head, parts: fetched.parts, beside, configuration: configurationOf(request, loads) };
}

function waybillOf(project: LoadRequest['project'], path: string): ReturnType<typeof readWaybill> {
  const reading = { shown: 'the waybill that stands there', languages: project.languages, isVerified: false };
  return readWaybill(readFileSync(path, 'utf8'), reading);
}
