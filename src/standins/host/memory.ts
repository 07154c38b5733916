/** The memory of a process. */
import { readFileSync } from 'node:fs';

/** Resident memory from /proc, now (`VmRSS`) or at its highest (`VmHWM`); undefined where the system has none. */
export function residentBytes(pid: number | undefined, which: 'VmRSS' | 'VmHWM' = 'VmRSS'): number | undefined {
  try {
    const status = readFileSync(`/proc/${String(pid)}/status`, 'utf8');
    const [, kib] = new RegExp(`^${which}:\\s+(\\d+) kB`, 'm').exec(status) ?? [];
    return kib === undefined ? undefined : Number(kib) * 1024;
  } catch {
    return undefined;
  }
}
