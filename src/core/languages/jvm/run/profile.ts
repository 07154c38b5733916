/** What loading classes costs, from the log that the machine keeps of it (`-Xlog:class+load`). */
import type { LoadCost, Profiling } from '../../load-cost';

const LINE = /^\[(\d+)ns\] ([\w.$/]+) source: (\S+)/;

export const profiling: Profiling = {
  args: (trace) => [`-Xlog:class+load:file=${trace}:uptimenanos`],
  read: ({ trace }) => Promise.resolve(costsIn(trace)),
};

/** By package: the time from one class to the next is that of the class which it ends with. */
export function costsIn(trace: string): LoadCost[] {
  const costs = new Map<string, number>();
  let before: number | undefined;
  for (const line of trace.split('\n')) {
    const [, time = '', name = '', source = ''] = LINE.exec(line) ?? [];
    if (time === '') continue;
    const ms = Number(time) / 1e6;
    const owner = ownerOf(name, source);
    // The first class stands at the start of the machine itself.
    if (before !== undefined) costs.set(owner, (costs.get(owner) ?? 0) + ms - before);
    before = ms;
  }
  return [...costs].map(([name, ms]) => ({ name, selfMs: ms, totalMs: ms }));
}

function ownerOf(name: string, source: string): string {
  if (/^(?:jrt:|shared)/.test(source) || /^(?:java|javax|jdk|sun)\./.test(name)) return 'the JDK';
  const parts = name.split('.').slice(0, -1);
  return parts.slice(0, 3).join('.') || name;
}
