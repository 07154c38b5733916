/** Runs in a worker thread: prepares JARs, one after the other. */
import { answerJobs } from '../../../disk/threads/threads';
import { prepareJar } from './prepare';

answerJobs(prepareJar);
