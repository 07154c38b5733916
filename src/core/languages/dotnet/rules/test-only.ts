/** Test libraries that are packed. */
import { printable } from '../../../base/text';
import type { Finding, FunctionFacts } from '../../../findings/rule';
import { ownerIn, type PublishedView } from './shared';

/** Names of assemblies that only tests use. */
const OF_TESTS =
  /^(?:xunit(?:\..+)?|nunit\.(?:framework|engine)(?:\..+)?|Microsoft\.VisualStudio\.(?:TestPlatform|CodeCoverage|TestTools)\..+|Microsoft\.TestPlatform\..+|testhost|Moq|NSubstitute|FluentAssertions|FakeItEasy|Castle\.Core\.Tests|coverlet\..+|Shouldly|MSTest\..+)$/i;

/** Packages for tests that are in the artifact. */
export function testOnlyInDotnet(view: PublishedView, facts: FunctionFacts): Finding[] {
  const byOwner = new Map<string, number>();
  for (const [path, { name }] of view.assemblies.all)
    if (OF_TESTS.test(name)) {
      const owner = ownerIn(view, facts, path) ?? name;
      byOwner.set(owner, (byOwner.get(owner) ?? 0) + 1);
    }
  return [...byOwner].map(([owner, count]) => ({
    level: 'warn',
    where: printable(owner),
    expected: 'no test library',
    found: `${String(count)} of its assemblies`,
    mend: 'publish the function’s own project, not the one of its tests',
  }));
}
