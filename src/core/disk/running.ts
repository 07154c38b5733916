/** Which processes of which machine are at work. */
import { readlinkSync } from 'node:fs';
import { hostname } from 'node:os';
import { contentDigest } from '../base/digest';
import { systemCode } from '../base/errors';

let machine: string | undefined;

/** Tells apart machines that share a folder, and on each of them the containers that number their processes on their own. */
export function machineMark(): string {
  machine ??= contentDigest(`${hostname()} ${processNumbers()}`).slice(0, 8);
  return machine;
}

/** Which numbers processes have here: the namespace of process IDs, pid_namespaces(7). */
function processNumbers(): string {
  try {
    return readlinkSync('/proc/self/ns/pid');
  } catch {
    // A system without them.
    return '';
  }
}

/** Whether a process of that number runs on this machine, whoever it belongs to. */
export function isRunning(pid: number): boolean {
  try {
    return process.kill(pid, 0);
  } catch (error) {
    // It is there, but somebody else's.
    return systemCode(error) === 'EPERM';
  }
}
