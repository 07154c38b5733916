import { findings, type Rule } from '../../findings/rule';

export const depsUnused: Rule = {
  id: 'deps/unused',
  level: 'warn',
  title: 'Every package that the function asks for is imported by it',
  why: 'A package that nothing imports takes room, and has to be kept up to date for nothing.',
  mend: 'Take it out of the requirements, or accept it when it is a plug-in that is found by itself.',
  needs: ['runtime', 'waybill'],
  asks: 'unused',
  check: ({ subject: { view }, facts: { waybill } }) =>
    findings(...(waybill === undefined ? [] : (view?.unused?.(waybill) ?? []))),
};
