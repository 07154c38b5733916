import { findings, type Rule } from '../../findings/rule';

export const depsMissing: Rule = {
  id: 'deps/missing',
  level: 'stop',
  title: 'Everything that is imported is there',
  why: 'A module that nothing in the artifact, the standard library or the runtime provides fails the first call that needs it.',
  mend: 'Add the package to what the function needs and run `emballage lock`, or correct the name.',
  needs: ['runtime'],
  asks: 'missing',
  check: ({ subject: { view } }) => findings(...(view?.missing?.() ?? [])),
};
