/** To addresses that files are put to by HTTP. */
import type { WayKind } from '../way';

declare module '../../../../sheet/model' {
  interface Ways {
    /** `tokenFrom`: the environment variable that a bearer token is taken from. */
    put: { readonly address: string; readonly tokenFrom?: string };
  }
}

export const put: WayKind<'put'> = {
  name: 'put',
  units: { sent: 'file', deleted: 'file' },
  openKeys: async () => (await import('./keys')).putKeys,
  open: async (world, deliver) => (await import('./way')).openPut(world, deliver),
  // A token is for the address that it was named for.
  there: ({ at }, today) => (today?.way === 'put' && today.address === at ? today : { way: 'put', address: at }),
};
