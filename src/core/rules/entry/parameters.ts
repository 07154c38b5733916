import { findings, type Rule } from '../../findings/rule';

export const entryParameters: Rule = {
  id: 'entry/parameters',
  level: 'stop',
  title: 'The entry can be called with an event and a context',
  why: 'Where a language is strict about it, a function that takes another number of parameters fails at its first call, and at every one after. Where it is not, one that counts on a third argument, a callback say, is never given it.',
  mend: 'Give the function two parameters, `event` and `context`; return a value or a promise rather than calling back.',
  needs: ['entry', 'runtime'],
  asks: 'parameters',
  check({ subject: { view }, facts: { entry, adapter } }) {
    // A web application is called by its adapter, which knows how.
    const finding = entry === undefined || adapter !== undefined ? undefined : view?.parameters?.(entry);
    return finding === undefined ? findings() : findings(finding);
  },
};
