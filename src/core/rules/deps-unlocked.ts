import { count } from '../base/text';
import type { Waybill } from '../waybill';
import { findings, type Finding, type FunctionFacts, type Rule } from '../findings/rule';

export const depsUnlocked: Rule = {
  id: 'deps/unlocked',
  level: 'stop',
  title: 'What is packed is what the lock settled for today’s requirements',
  why: 'Requirements that were changed after they were settled describe an artifact that nobody has built.',
  mend: 'Run `emballage lock`, then build again.',
  needs: ['waybill'],
  check: ({ facts: { lock, waybill } }) => findings(...outdated(lock), ...unlocked(waybill)),
};

function outdated(lock: FunctionFacts['lock']): Finding[] {
  if (lock === undefined || lock === 'current') return [];
  return [
    {
      level: 'stop',
      where: 'emballage.lock',
      expected: 'what the requirements ask for',
      found: lock === 'missing' ? 'nothing about this function' : 'what other requirements gave',
      mend: 'run `emballage lock`, then build again',
    },
  ];
}

/** Files of packages that were found installed: another machine may have others. */
function unlocked(waybill: Waybill | undefined): Finding[] {
  const names = new Map<string, number>();
  for (const { origin } of waybill?.files ?? [])
    if (origin.from === 'unlocked') names.set(origin.name, (names.get(origin.name) ?? 0) + 1);
  const files = [...names.values()].reduce((sum, one) => sum + one, 0);
  if (files === 0) return [];
  return [
    {
      level: 'warn',
      where: 'node_modules',
      expected: 'packages from a lock',
      found: `${count(files, 'file')} of ${count(names.size, 'package')} as they were found installed, such as ${[...names.keys()].slice(0, 3).join(', ')}`,
      mend: 'keep a package-lock.json in the project and run `emballage lock`',
    },
  ];
}
