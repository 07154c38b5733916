/** What the ways share that go by HTTP: the login. */
import { EmballageError } from '../../../base/errors';
import { Exchange } from '../../../sources/exchange';
import type { DeliveryWorld } from './way';

/** A destination that is spoken to by HTTP. */
export interface ByHttp {
  readonly address: string;
  /** The environment variable that a bearer token is taken from. */
  readonly tokenFrom?: string;
}

/** What speaks to it, with its login. @throws EmballageError USAGE where a token is named that is not set */
export async function exchangeWith(world: DeliveryWorld, { address, tokenFrom }: ByHttp): Promise<Exchange> {
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
