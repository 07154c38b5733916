import { listed } from '../../../base/text';
import { jvmOf } from './shared';
import { findings, type Rule } from '../../../findings/rule';

/** Packages of what only tests use. */
const TEST_PACKAGES =
  /^(?:org\/junit|junit|org\/testng|org\/mockito|org\/assertj|org\/hamcrest|org\/easymock|net\/bytebuddy\/agent|org\/spockframework|org\/jmock)\//;

export const depsTestScope: Rule = {
  id: 'deps/test-scope',
  level: 'warn',
  title: 'No test library is packed',
  why: 'What only tests use takes room, and its classes are found by whoever looks through the class path.',
  mend: 'Give it the scope `test` in the POM, or take it out of `needs`.',
  needs: ['runtime'],
  check({ subject, facts }) {
    const jvm = jvmOf(subject);
    if (jvm === undefined) return findings();
    const origins = new Map((facts.waybill?.files ?? []).map(({ path, origin }) => [path, origin]));
    const byName = new Map<string, number>();
    for (const { path } of jvm.classes.values()) {
      if (!TEST_PACKAGES.test(path)) continue;
      const origin = origins.get(path);
      const name = origin?.from === 'package' ? origin.name : path.split('/').slice(0, 2).join('.');
      byName.set(name, (byName.get(name) ?? 0) + 1);
    }
    return findings(
      ...[...byName].map(([name, count]) => {
        const by = facts.waybill?.packages.find((one) => one.name === name)?.by ?? [];
        return {
          level: 'warn' as const,
          where: name,
          expected: 'no test library',
          found: `${String(count)} of its classes${by.length === 0 ? '' : `, asked for by ${listed(by, 'and')}`}`,
          mend: 'give it the scope `test`, or exclude it where it comes from',
        };
      }),
    );
  },
};
