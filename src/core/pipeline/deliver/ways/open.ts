/** The way to a destination, as its file says. */
import { isAbsolute, join } from 'node:path';
import { EmballageError } from '../../../base/errors';
import type { Project } from '../../../project/targets';
import type { Destination } from '../../../sheet';
import { Exchange } from '../../../sources/exchange';
import type { Network } from '../../../sources';
import type { RegistryConnection, UploadMemory } from '../../../sources/registry';
import type { Credentials } from '../../../toolchains/credentials';
import { HostClient } from '../host-client';
import { readLedger } from '../ledger';
import { FolderWay } from './folder';
import { HostWay } from './host';
import { ProgramWay } from './program';
import { PutWay } from './put';
import { RegistryWay } from './registry';
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
export async function openWay(world: DeliveryWorld, destination: Destination, doing: string): Promise<Way> {
  const { deliver } = destination;
  const { project } = world;
  switch (deliver?.way) {
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
      return new PutWay(deliver.address, await exchangeWith(world, deliver.tokenFrom));
    case 'host':
      return new HostWay(await hostClient(world, destination, doing), world.now);
    case 'program': {
      const { command, timeMs } = deliver;
      return new ProgramWay({ command, timeMs, root: project.root, env: world.env });
    }
    case undefined:
      throw new EmballageError('USAGE', {
        doing,
        where: destination.file,
        expected: '`deliver`: how artifacts get there',
        found: `none in the destination ${destination.name}`,
        mend: 'add `deliver: { folder: … }`, say, or name another destination with --to',
      });
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
  return new HostClient(deliver.address, await exchangeWith(world, deliver.tokenFrom));
}

async function exchangeWith(world: DeliveryWorld, tokenFrom: string | undefined): Promise<Exchange> {
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
    authorizationFor: (url) => (token === undefined ? credentials.authorizationFor(url) : `Bearer ${token}`),
    login:
      tokenFrom === undefined
        ? 'put a login for that host into the netrc file, or name a variable with `token` under `deliver`'
        : `see whether the token in ${tokenFrom} is right and may do that`,
  });
}
