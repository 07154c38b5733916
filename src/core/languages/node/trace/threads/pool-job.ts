/** What threads do with one module: read it, or make its part of the linked file small. */
import { readModuleJob, type ModuleJob } from './module-job';
import type { SmallJob } from '../../link/small';

export type PoolJob =
  { readonly kind: 'read'; readonly job: ModuleJob } | { readonly kind: 'small'; readonly job: SmallJob };

/** What came of it, JSON. */
export function doPoolJob(job: PoolJob): string {
  if (job.kind === 'read') return JSON.stringify(readModuleJob(job.job));
  // Loaded only where something is made small.
  // eslint-disable-next-line @typescript-eslint/no-require-imports
  const { smallPart } = require('../../link/small') as typeof import('../../link/small');
  return JSON.stringify(smallPart(job.job));
}
