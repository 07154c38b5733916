/** To a registry of the open distribution standard: an index over all architectures, named by tags. */
import type { WayKind } from '../way';

declare module '../../../../sheet/model' {
  interface Ways {
    registry: { readonly registry: Registry };
  }
}

export const registry: WayKind<'registry'> = {
  name: 'registry',
  takesParts: true,
  isTagged: true,
  units: { sent: 'blob', deleted: 'manifest' },
  openKeys: async () => (await import('./keys')).registryKeys,
  open: async (world, deliver) => (await import('./way')).openRegistry(world, deliver.registry),
  there({ at }, today) {
    const isSame = today?.way === 'registry' && today.registry.host === at;
    return { way: 'registry', registry: { host: at, namespace: '', plainHttp: isSame && today.registry.plainHttp } };
  },
};
