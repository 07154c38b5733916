import { findings, type Rule } from '../../findings/rule';

export const depsVersionClash: Rule = {
  id: 'deps/version-clash',
  level: 'warn',
  title: 'No dependency is older than somebody asks for',
  why: 'One version is there for all. Whoever was written for a newer one may miss what that has when it runs, or be refused when it is loaded.',
  mend: 'State the newer version under `needs`, and lock; where the language can move packages, settle one of the two by itself.',
  needs: ['runtime'],
  asks: 'clashes',
  check: ({ subject: { view } }) => findings(...(view?.clashes?.() ?? [])),
};
