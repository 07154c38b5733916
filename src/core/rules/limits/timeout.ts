import { formatTime } from '../../base/units';
import { findings, type Rule } from '../../findings/rule';

export const limitsTimeout: Rule = {
  id: 'limits/timeout',
  level: 'stop',
  title: 'The function asks for no more time than the destination gives',
  why: 'Destinations refuse a longer time limit than their own, or cut the call off.',
  mend: 'Set `timeout` in the sheet within the destination’s bound.',
  needs: [],
  check({ destination: { name, timeoutMostMs }, facts: { timeoutMs } }) {
    if (timeoutMs === undefined || timeoutMostMs === undefined || timeoutMs <= timeoutMostMs) return findings();
    return findings({
      level: 'stop',
      expected: `at most ${formatTime(timeoutMostMs)} (${name})`,
      found: formatTime(timeoutMs),
      mend: 'change `timeout` in the sheet',
    });
  },
};
