/** What a runner or an executable says, line by line. */
import type { StdioOptions } from 'node:child_process';
import type { Speech } from '../../../core/events';
import type { Failure } from './answer';

/** How a process is spoken to. */
export type Speaks = 'runner' | Speech;

/** Standard input, output and error, and for a runner two more. */
export const STREAMS: Readonly<Record<Speaks, StdioOptions>> = {
  runner: ['ignore', 'pipe', 'pipe', 'pipe', 'pipe'],
  lines: ['pipe', 'pipe', 'pipe'],
  http: ['ignore', 'pipe', 'pipe'],
};

export type Message = { readonly mark?: unknown } & Readonly<Record<string, unknown>>;

/** What the line of an executable says. */
export function plainAnswer(line: string): Readonly<Record<string, unknown>> {
  try {
    JSON.parse(line);
    return { kind: 'result', json: line, nothing: line.trim() === 'null' };
  } catch {
    return { kind: 'not-json', fault: `it answered ${JSON.stringify(line.slice(0, 60))}, which is no JSON` };
  }
}

/** Whether something that came back tells of a failure. */
export function isFailure(message: Message | Failure): message is Failure {
  return !('mark' in message);
}

/** What an answer says went wrong in the function. */
export function errorOf(message: Message): { name: string; message: string; stack: string; missing?: string } {
  const error = (typeof message.error === 'object' ? message.error : {}) as Record<string, unknown>;
  return {
    name: String(error.name ?? 'Error'),
    message: String(error.message ?? ''),
    stack: String(error.stack ?? ''),
    ...(typeof error.missing === 'string' && { missing: error.missing }),
  };
}
