/**
 * Waits for what another thread does: for the rare answer that is needed where nothing can be awaited. Whoever waits does
 * nothing else meanwhile, not even end at a signal.
 */
import { MessageChannel, receiveMessageOnPort, Worker, workerData, type MessagePort } from 'node:worker_threads';
import { errorOf, toldOf, type Told } from './threads';

interface Asked {
  readonly job: unknown;
  readonly port: MessagePort;
  readonly isDone: Int32Array<SharedArrayBuffer>;
}

/** A thread that says nothing for so long has died. */
const LONGEST_MS = 10 * 60 * 1000;

/**
 * @param script absolute path of a module that calls `answerOnce`
 * @throws what the work there threw
 */
export function waitForThread(script: string, job: unknown): unknown {
  const { port1, port2 } = new MessageChannel();
  const isDone = new Int32Array(new SharedArrayBuffer(Int32Array.BYTES_PER_ELEMENT));
  const asked: Asked = { job, port: port2, isDone };
  const worker = new Worker(script, { workerData: asked, transferList: [port2] });
  worker.unref();
  Atomics.wait(isDone, 0, 0, LONGEST_MS);
  const result = receiveMessageOnPort(port1)?.message as Told<unknown> | undefined;
  port1.close();
  if (result === undefined) throw new Error(`${script} gave no answer`);
  if ('answer' in result) return result.answer;
  throw errorOf(result);
}

/** In the thread: does the one job, and tells it. */
export async function answerOnce(work: (job: never) => Promise<unknown>): Promise<void> {
  const { job, port, isDone } = workerData as Asked;
  const result: Told<unknown> = await work(job as never).then((answer) => ({ answer }), toldOf);
  port.postMessage(result);
  Atomics.store(isDone, 0, 1);
  Atomics.notify(isDone, 0);
}
