import { count } from '../../../base/text';
import type { Finding } from '../../../findings/rule';
import type { Waybill } from '../../../waybill';

/** Files of packages that were found installed: another machine may have others. */
export function installedPackages(waybill: Waybill): Finding[] {
  const names = new Map<string, number>();
  for (const { origin } of waybill.files)
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
