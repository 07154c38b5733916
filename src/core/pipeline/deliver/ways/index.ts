/** The one table of ways of delivery. A new way is a folder beside this file, and a line here. */
import { EmballageError } from '../../../base/errors';
import type { Deliver, Destination, WayName } from '../../../sheet';
import type { HostClient } from '../host-client';
import type { Delivery } from '../ledger';
import { folder } from './folder';
import { host } from './host';
import { program } from './program';
import { put } from './put';
import { registry } from './registry';
import type { DeliveryWorld, Way, WayKind } from './way';

const TABLE: { readonly [Name in WayName]: WayKind<Name> } = {
  registry,
  folder,
  put,
  host,
  program,
};

/** All of them, in the order in which they are shown. */
export const WAYS: readonly WayKind[] = Object.values(TABLE);

/** The light part of a way. */
export function wayKind(name: WayName): WayKind {
  return TABLE[name];
}

/** @throws EmballageError USAGE where the destination has none */
export function openWay(world: DeliveryWorld, destination: Destination, doing: string): Promise<Way> {
  const { deliver, file, name } = destination;
  if (deliver !== undefined) return wayKind(deliver.way).open(world, deliver);
  throw new EmballageError('USAGE', {
    doing,
    where: file,
    expected: '`deliver`: how artifacts get there',
    found: `none in the destination ${name}`,
    mend: 'add `deliver: { folder: … }`, say, or name another destination with --to',
  });
}

/**
 * The way to where something was sent, wherever its destination leads today.
 * @throws EmballageError USAGE where a program is needed that the sheet no longer names
 */
export async function wayOf(world: DeliveryWorld, delivery: Delivery, doing: string): Promise<Way> {
  const today = world.project.sheet.destinations[delivery.destination]?.deliver;
  const kind = wayKind(delivery.way);
  return kind.open(world, kind.there(delivery, today, doing));
}

/** Whether what stands at a destination can be asked and called. */
export function isAsked(deliver: Deliver | undefined): boolean {
  return deliver !== undefined && 'client' in wayKind(deliver.way);
}

/** What speaks to the host of a destination. @throws EmballageError USAGE where it is none */
export async function hostClient(world: DeliveryWorld, destination: Destination, doing: string): Promise<HostClient> {
  const { deliver } = destination;
  const client = deliver === undefined ? undefined : wayKind(deliver.way).client?.(world, deliver);
  if (client !== undefined) return client;
  throw new EmballageError('USAGE', {
    doing,
    where: destination.file,
    expected: 'a destination with `deliver: { host: … }`, which can be asked',
    found: deliver === undefined ? 'one without `deliver`' : `one with \`deliver: { ${deliver.way}: … }\``,
    mend: 'name another destination',
  });
}

export { programAnswer, programRequest } from './program';
export type {
  DeliveryWorld,
  Drift,
  Fetched,
  FetchWanted,
  DeliveryStatus,
  Placed,
  SendOptions,
  SentBlob,
  TakenBack,
  Way,
  WayKind,
  What,
} from './way';
