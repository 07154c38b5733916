/** Runs in a worker thread: reads modules in batches. What it found goes back as JSON, which is what is kept of it. */
import { answerJobs } from '../../../disk/threads';
import { readModuleJob, type ModuleJob } from './module-job';

answerJobs((batch: readonly ModuleJob[]) => batch.map((job) => JSON.stringify(readModuleJob(job))));
