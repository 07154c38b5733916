/** Which processes of which machine are at work. */
import { hostname } from 'node:os';
import { contentDigest } from '../base/digest';
import { systemCode } from '../base/errors';

let machine: string | undefined;

/** Tells machines that share a folder apart. Containers that share one number their processes alike. */
export function thisMachine(): string {
  machine ??= contentDigest(hostname()).slice(0, 8);
  return machine;
}

export function isRunning(pid: number): boolean {
  try {
    return process.kill(pid, 0);
  } catch (error) {
    // It is there, but somebody else's.
    return systemCode(error) === 'EPERM';
  }
}
