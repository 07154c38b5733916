/** To a host of functions that speaks our protocol: it is told how to run them, and can be asked and called. */
import type { WayKind } from '../way';

declare module '../../../../sheet/model' {
  interface Ways {
    /** `tokenFrom`: the environment variable that a bearer token is taken from. */
    host: { readonly address: string; readonly tokenFrom?: string };
  }
}

export const host: WayKind<'host'> = {
  name: 'host',
  units: { sent: 'file', deleted: 'version' },
  openKeys: async () => (await import('./keys')).hostKeys,
  open: async (world, deliver) => (await import('./way')).openHost(world, deliver),
  // A token is for the address that it was named for.
  there: ({ at }, today) => (today?.way === 'host' && today.address === at ? today : { way: 'host', address: at }),
  client: async (world, deliver) => (await import('./way')).clientOf(world, deliver),
};
