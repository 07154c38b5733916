import { findings, type Rule } from '../../findings/rule';

export const entryMissingMember: Rule = {
  id: 'entry/missing-member',
  level: 'stop',
  title: 'The entry’s file exports a function of that name',
  why: 'The name in the configuration and the name in the code drift apart, and nothing says so before the first call. The module is parsed, not run: named, default and re-exported members are seen.',
  mend: 'Correct the member’s name in `entry`, or export it.',
  needs: ['entry'],
  asks: 'entryMember',
  check({ subject: { view }, facts: { entry } }) {
    const finding = entry === undefined ? undefined : view?.entryMember?.(entry);
    return finding === undefined ? findings() : findings(finding);
  },
};
