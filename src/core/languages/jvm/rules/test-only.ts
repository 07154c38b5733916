import { listed } from '../../../base/text';
import type { Finding, FunctionFacts } from '../../../findings/rule';
import type { JvmView } from '../view/artifact-view';

/** Packages of what only tests use. */
const TEST_PACKAGES =
  /^(?:org\/junit|junit|org\/testng|org\/mockito|org\/assertj|org\/hamcrest|org\/easymock|net\/bytebuddy\/agent|org\/spockframework|org\/jmock)\//;

/** Test libraries of which classes are packed. */
export function testOnlyInJvm(jvm: Pick<JvmView, 'classes'>, { waybill }: FunctionFacts): Finding[] {
  const origins = new Map((waybill?.files ?? []).map(({ path, origin }) => [path, origin]));
  const byName = new Map<string, number>();
  for (const { path } of jvm.classes.values()) {
    if (!TEST_PACKAGES.test(path)) continue;
    const origin = origins.get(path);
    const name = origin?.from === 'package' ? origin.name : path.split('/').slice(0, 2).join('.');
    byName.set(name, (byName.get(name) ?? 0) + 1);
  }
  return [...byName].map(([name, count]) => {
    const by = waybill?.packages.find((one) => one.name === name)?.by ?? [];
    return {
      level: 'warn' as const,
      where: name,
      expected: 'no test library',
      found: `${String(count)} of its classes${by.length === 0 ? '' : `, asked for by ${listed(by, 'and')}`}`,
      mend: 'give it the scope `test`, or exclude it where it comes from',
    };
  });
}
