import { printable } from '../../../base/text';
import { findings, type Rule } from '../../../findings/rule';
import { ownAssemblies, publishedIn } from './shared';

export const buildDebug: Rule = {
  id: 'build/debug',
  level: 'warn',
  title: 'It is one build, with optimisation',
  why: 'A debug build is slower, and larger; whoever delivers one took the wrong folder most of the time. Symbols of another build say that files of two builds lie together.',
  mend: 'Publish with `-c Release`, into an empty folder.',
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
      ...view.otherSymbols.map((path) => ({
        level: 'warn' as const,
        where: printable(path),
        expected: 'the symbols of the assembly beside it',
        found: 'those of another build',
        mend: 'publish again into an empty folder',
      })),
    );
  },
};
