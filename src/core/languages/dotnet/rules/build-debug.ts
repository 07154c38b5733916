import { printable } from '../../../base/text';
import { findings, type Rule } from '../../../findings/rule';
import { ownAssemblies, publishedIn } from './shared';

export const buildDebug: Rule = {
  id: 'build/debug',
  level: 'warn',
  title: 'It was compiled with optimisation',
  why: 'A debug build is slower, and larger; whoever delivers one took the wrong folder most of the time.',
  mend: 'Publish with `-c Release`.',
  needs: ['runtime'],
  check({ subject, facts }) {
    const view = publishedIn(subject);
    if (view === undefined) return findings();
    const found = [...ownAssemblies(view, facts)].filter(([, { isDebug }]) => isDebug);
    return findings(
      ...found.map(([path]) => ({
        level: 'warn' as const,
        where: printable(path),
        expected: 'a release build',
        found: 'code without optimisation (DebuggableAttribute)',
        mend: 'publish with `-c Release`, and name that folder',
      })),
    );
  },
};
