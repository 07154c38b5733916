/** Check results as JUnit XML: a suite for each artifact, a case for each rule. */
import XMLBuilder from 'fast-xml-builder';
import type { CheckedArtifact, CheckedFinding, RuleOutcome } from '../../core/pipeline/check';

/** The document, with stop findings as failures and what is not known as skipped. */
export function junitXml(checked: readonly CheckedArtifact[]): string {
  const builder = new XMLBuilder({
    ignoreAttributes: false,
    attributeNamePrefix: '@',
    format: true,
    suppressEmptyNode: true,
  });
  const suites = checked.map(suite);
  const total = (key: '@tests' | '@failures' | '@skipped'): number => suites.reduce((sum, one) => sum + one[key], 0);
  const document = {
    '@name': 'Emballage check',
    '@tests': total('@tests'),
    '@failures': total('@failures'),
    '@skipped': total('@skipped'),
    testsuite: suites,
  };
  return `<?xml version="1.0" encoding="UTF-8"?>\n${builder.build({ testsuites: document })}`;
}

function suite(checked: CheckedArtifact) {
  const name = [checked.name, checked.arch, checked.destination].filter((part) => part !== undefined).join(' ');
  const cases = checked.outcomes.map((outcome) => testCase(name, outcome));
  return {
    '@name': name,
    '@tests': cases.length,
    '@failures': cases.filter((one) => 'failure' in one).length,
    '@skipped': cases.filter((one) => 'skipped' in one).length,
    testcase: cases,
  };
}

function testCase(suiteName: string, { rule, findings, lacking }: RuleOutcome) {
  const head = { '@classname': suiteName, '@name': rule.id };
  const stops = findings.filter((finding) => finding.level === 'stop' && finding.accepted === undefined);
  if (stops.length > 0)
    return { ...head, failure: stops.map((finding) => ({ '@message': summary(finding), '#text': detail(finding) })) };
  if (lacking.length > 0) return { ...head, skipped: { '@message': `not known: ${lacking.join(', ')}` } };
  if (findings.length === 0) return head;
  return {
    ...head,
    'system-out': findings
      .map((finding) => `${finding.accepted === undefined ? finding.level : 'accepted'}: ${detail(finding)}`)
      .join('\n'),
  };
}

function summary(finding: CheckedFinding): string {
  return finding.where === undefined ? finding.found : `${finding.where}: ${finding.found}`;
}

function detail(finding: CheckedFinding): string {
  return `${summary(finding)}; expected ${finding.expected}; mend: ${finding.mend}`;
}
