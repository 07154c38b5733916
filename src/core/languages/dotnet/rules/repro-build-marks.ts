import { printable } from '../../../base/text';
import { findings, type Rule } from '../../../findings/rule';
import { ownAssemblies, publishedIn } from './shared';

export const reproBuildMarks: Rule = {
  id: 'repro/build-marks',
  level: 'note',
  title: 'Its own assemblies come out the same in every build',
  why: 'An assembly that was not compiled deterministically has the time and a fresh identifier in it, so that the same source gives other bytes each time.',
  mend: 'Compile with `Deterministic` and `ContinuousIntegrationBuild`.',
  needs: ['runtime'],
  check({ subject, facts }) {
    const view = publishedIn(subject);
    if (view === undefined) return findings();
    const found = [...ownAssemblies(view, facts)].filter(([, { isDeterministic }]) => !isDeterministic);
    return findings(
      ...found.map(([path]) => ({
        level: 'note' as const,
        where: printable(path),
        expected: 'an assembly that says its bytes depend on its sources alone',
        found: 'none of that: its next build will differ',
        mend: 'compile with `-deterministic`; the SDK does so with `-p:ContinuousIntegrationBuild=true`',
      })),
    );
  },
};
