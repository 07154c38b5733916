/** The memory of a process, and of all that it started. */
import { readdirSync, readFileSync } from 'node:fs';

/** Resident memory from /proc, now (`VmRSS`) or at its highest (`VmHWM`); undefined where the system has none. */
export function residentBytes(
  pid: number | undefined,
  which: 'VmRSS' | 'VmHWM' | 'RssAnon' = 'VmRSS',
): number | undefined {
  try {
    const status = readFileSync(`/proc/${String(pid)}/status`, 'utf8');
    const [, kib] = new RegExp(`^${which}:\\s+(\\d+) kB`, 'm').exec(status) ?? [];
    return kib === undefined ? undefined : Number(kib) * 1024;
  } catch {
    return undefined;
  }
}

/** Most processes that are looked at: a function that starts more is held to its memory by those. */
const MOST_PROCESSES = 500;

/** Processes that a process started, in the order in which they were found; none where the system does not tell. */
export function startedFrom(pid: number): number[] {
  const found = [pid];
  for (let i = 0; i < found.length && found.length < MOST_PROCESSES; i++) found.push(...childrenOf(found[i] ?? 0));
  return found.slice(1);
}

/** Processes that any thread of a process started (proc_tid_children(5)). */
function childrenOf(pid: number): number[] {
  try {
    const tasks = `/proc/${String(pid)}/task`;
    return readdirSync(tasks).flatMap((task) =>
      readFileSync(`${tasks}/${task}/children`, 'utf8')
        .split(' ')
        .filter((one) => one !== '')
        .map(Number),
    );
  } catch {
    return [];
  }
}

/** What processes hold together: of all but the first only what is theirs alone. */
export function togetherBytes([first, ...others]: readonly number[]): number | undefined {
  const own = residentBytes(first);
  return own === undefined ? undefined : others.reduce((sum, one) => sum + (residentBytes(one, 'RssAnon') ?? 0), own);
}
