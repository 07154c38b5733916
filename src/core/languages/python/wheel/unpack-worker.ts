/** Runs in a worker thread: unpacks wheels, one after the other, so that they are found unpacked. */
import { answerJobs } from '../../../disk/threads/threads';
import { unpackWheel, type WheelRequest } from './wheel';

answerJobs(async (wheel: WheelRequest): Promise<undefined> => {
  await unpackWheel(wheel);
});
