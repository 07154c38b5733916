/** Runs in a worker thread: works on modules in batches. What it found goes back as JSON, which is what is kept of it. */
import { answerJobs } from '../../../../disk/threads/threads';
import { doPoolJob, type PoolJob } from './pool-job';

answerJobs((batch: readonly PoolJob[]) => batch.map(doPoolJob));
