import { findings, type Rule } from '../../findings/rule';

export const depsTestScope: Rule = {
  id: 'deps/test-scope',
  level: 'warn',
  title: 'Neither tests nor test libraries are packed',
  why: 'What only tests use takes room, and is found by whoever looks through all that can be loaded.',
  mend: 'Ask for test libraries where only tests do, and name folders of tests under `leave-out`.',
  needs: ['runtime'],
  asks: 'testOnly',
  check: ({ subject: { view } }) => findings(...(view?.testOnly?.() ?? [])),
};
