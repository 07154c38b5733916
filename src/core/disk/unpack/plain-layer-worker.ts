/** Runs in a worker thread: unpacks one layer while the thread that asked waits. */
import { plainLayer, type PlainLayerRequest } from './plain-layer';
import { answerOnce } from '../threads/wait-for-thread';

void answerOnce(async (request: PlainLayerRequest) => (await plainLayer(request)).plain);
