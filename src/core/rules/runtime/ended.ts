import { offeredRuntime } from '../../sheet';
import { findings, type Rule } from '../../findings/rule';

const NOTICE_DAYS = 90;

export const runtimeEnded: Rule = {
  id: 'runtime/ended',
  level: 'stop',
  title: 'The destination still offers the runtime',
  why: 'After the day a runtime ends, destinations refuse new deployments with it. The destination file gives the day; from 90 days before it this is a warning.',
  mend: 'Move the function to a runtime that goes on.',
  needs: ['runtime'],
  isOfLayers: false,
  check({ destination, facts: { runtime }, today }) {
    const offered = offeredRuntime(destination, runtime);
    if (offered?.ends === undefined) return findings();
    const days = Math.round((Date.parse(offered.ends) - Date.parse(today)) / 86_400_000);
    if (days > NOTICE_DAYS) return findings();
    const later = destination.runtimes.find(
      (r) =>
        r.name !== offered.name &&
        r.name.startsWith(`${runtime?.text.split(' ')[0] ?? ''} `) &&
        (r.ends ?? '9999') > today,
    );
    return findings({
      level: days < 0 ? 'stop' : 'warn',
      expected: `a runtime that ${destination.name} goes on offering`,
      found:
        days < 0
          ? `${offered.name}, which ended on ${offered.ends}`
          : `${offered.name}, which ends on ${offered.ends}, in ${String(days)} days`,
      mend:
        later === undefined ? 'move to a newer runtime' : `set \`runtime: ${later.name}\` and try the function with it`,
    });
  },
};
