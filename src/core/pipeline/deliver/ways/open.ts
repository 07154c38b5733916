/** The way to a destination, as its file says. */
import { isAbsolute, join } from 'node:path';
import { EmballageError } from '../../../base/errors';
import { printable } from '../../../base/text';
import type { Project } from '../../../project/targets';
import type { Deliver, Destination } from '../../../sheet';
import { Exchange } from '../../../sources/exchange';
import type { Network } from '../../../sources';
import type { RegistryConnection, UploadMemory } from '../../../sources/registry';
import type { Credentials } from '../../../toolchains/credentials';
import { HostClient } from './host/client';
import { readLedger, type Delivery } from '../ledger';
import { FolderWay } from './folder/way';
import { HostWay } from './host/way';
import { ProgramWay } from './program/way';
import { PutWay } from './put/way';
import { RegistryWay } from './registry/way';
import type { Way } from './way';

/** What the ways need of the world. */
export interface DeliveryWorld {
  readonly project: Project;
  readonly registry: (host: string, plainHttp: boolean) => Promise<RegistryConnection>;
  /** Undefined for `--offline`. */
  readonly network: () => Promise<Network | undefined>;
  readonly credentials: Credentials;
  readonly memory: UploadMemory;
  /** The environment of the command. */
  readonly env: Readonly<Record<string, string | undefined>>;
  /** Milliseconds since 1970. */
  readonly now: () => number;
}

/** @throws EmballageError USAGE where the destination has none */
export function openWay(world: DeliveryWorld, destination: Destination, doing: string): Promise<Way> {
  const { deliver, file, name } = destination;
  if (deliver !== undefined) return open(world, deliver);
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
export function wayOf(world: DeliveryWorld, delivery: Delivery, doing: string): Promise<Way> {
  const today = world.project.sheet.destinations[delivery.destination]?.deliver;
  return open(world, deliverThere(delivery, today, doing));
}

function deliverThere({ way, at, destination }: Delivery, today: Deliver | undefined, doing: string): Deliver {
  switch (way) {
    case 'registry': {
      const isSame = today?.way === way && today.registry.host === at;
      return { way, registry: { host: at, namespace: '', plainHttp: isSame && today.registry.plainHttp } };
    }
    case 'folder':
      return { way, folder: at };
    case 'put':
    case 'host':
      // A token is for the address that it was named for.
      return today?.way === way && today.address === at ? today : { way, address: at };
    case 'program':
      if (today?.way === way) return today;
      throw new EmballageError('USAGE', {
        doing,
        expected: `the program that delivers to ${destination}, in the sheet`,
        found: `none: it was \`${printable(at)}\``,
        mend: 'name it under `deliver` of that destination again',
      });
  }
}

async function open(world: DeliveryWorld, deliver: Deliver): Promise<Way> {
  const { project } = world;
  switch (deliver.way) {
    case 'registry': {
      const { host, plainHttp } = deliver.registry;
      return new RegistryWay({
        ...{ registry: deliver.registry, memory: world.memory },
        connect: () => world.registry(host, plainHttp),
        standing: () =>
          readLedger(project).deliveries.filter(
            ({ way, at, recalled }) => way === 'registry' && at === host && recalled === undefined,
          ),
      });
    }
    case 'folder': {
      const { folder } = deliver;
      return new FolderWay(isAbsolute(folder) ? folder : join(project.root, folder), folder);
    }
    case 'put':
      return new PutWay(deliver.address, await exchangeWith(world, deliver));
    case 'host':
      return new HostWay(new HostClient(deliver.address, await exchangeWith(world, deliver)), world.now);
    case 'program': {
      const { command, timeMs } = deliver;
      return new ProgramWay({ command, timeMs, root: project.root, env: world.env });
    }
  }
}

/** What speaks to the host of a destination. @throws EmballageError USAGE where it is none */
export async function hostClient(world: DeliveryWorld, destination: Destination, doing: string): Promise<HostClient> {
  const { deliver } = destination;
  if (deliver?.way !== 'host')
    throw new EmballageError('USAGE', {
      doing,
      where: destination.file,
      expected: 'a destination with `deliver: { host: … }`, which can be asked',
      found: deliver === undefined ? 'one without `deliver`' : `one with \`deliver: { ${deliver.way}: … }\``,
      mend: 'name another destination',
    });
  return new HostClient(deliver.address, await exchangeWith(world, deliver));
}

type ByHttp = Extract<Deliver, { readonly address: string }>;

async function exchangeWith(world: DeliveryWorld, { address, tokenFrom }: ByHttp): Promise<Exchange> {
  const { credentials, env } = world;
  const token = tokenFrom === undefined ? undefined : env[tokenFrom];
  if (tokenFrom !== undefined && (token === undefined || token === ''))
    throw new EmballageError('USAGE', {
      doing: 'looking for the login',
      where: tokenFrom,
      expected: 'a bearer token in that environment variable',
      found: 'none',
      mend: 'set it before the command',
    });
  return new Exchange({
    network: await world.network(),
    authorizationFor(url) {
      if (token === undefined) return credentials.authorizationFor(url);
      // Places stand in the ledger, which may have been edited: none of them gets a token of another host.
      return isOfHost(url, address) ? `Bearer ${token}` : undefined;
    },
    login:
      tokenFrom === undefined
        ? 'put a login for that host into the netrc file, or name a variable with `token` under `deliver`'
        : `see whether the token in ${tokenFrom} is right and may do that`,
  });
}

/** Whether an address is of the host that a pattern names; where that has a word in braces, any is. */
function isOfHost(url: URL, pattern: string): boolean {
  const [origin = ''] = /^https?:\/\/[^/]+/.exec(pattern) ?? [];
  return origin.includes('{') || url.origin === new URL(origin).origin;
}
