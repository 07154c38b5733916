import { findings, type Finding, type FunctionFacts, type Rule } from '../../findings/rule';

export const depsUnlocked: Rule = {
  id: 'deps/unlocked',
  level: 'stop',
  title: 'What is packed is what the lock settled for today’s requirements',
  why: 'Requirements that were changed after they were settled describe an artifact that nobody has built.',
  mend: 'Run `emballage lock`, then build again.',
  needs: ['waybill'],
  check: ({ subject: { view }, facts: { lock, waybill } }) =>
    findings(...outdated(lock), ...(waybill === undefined ? [] : (view?.installed?.(waybill) ?? []))),
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
