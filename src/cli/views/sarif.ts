/** Check results as SARIF 2.1.0, for code scanning in CI. */
import type { Log, ReportingDescriptor, Result } from 'sarif';
import type { CheckedArtifact, CheckedFinding } from '../../core/pipeline/check';
import type { Level, Rule } from '../../core/rules';
import { VERSION } from '../program';

const LEVELS = { stop: 'error', warn: 'warning', note: 'note' } as const satisfies Record<Level, Result.level>;

/** @param rules all that there are */
export function sarifLog(checked: readonly CheckedArtifact[], rules: readonly Rule[]): Log {
  return {
    $schema: 'https://json.schemastore.org/sarif-2.1.0.json',
    version: '2.1.0',
    runs: [
      {
        tool: { driver: { name: 'Emballage', version: VERSION, rules: rules.map(descriptor) } },
        columnKind: 'utf16CodeUnits',
        results: checked.flatMap((one) =>
          one.outcomes.flatMap((outcome) => outcome.findings.map((finding) => result(one, finding, rules))),
        ),
      },
    ],
  };
}

function descriptor(rule: Rule): ReportingDescriptor {
  return {
    id: rule.id,
    shortDescription: { text: rule.title },
    fullDescription: { text: rule.why },
    help: { text: rule.mend },
    defaultConfiguration: { level: LEVELS[rule.level] },
  };
}

function result(checked: CheckedArtifact, finding: CheckedFinding, rules: readonly Rule[]): Result {
  const where = finding.where === undefined ? '' : `${finding.where}: `;
  return {
    ruleId: finding.rule,
    ruleIndex: rules.findIndex((rule) => rule.id === finding.rule),
    level: LEVELS[finding.level],
    message: { text: `${where}expected ${finding.expected}; found ${finding.found}. Mend: ${finding.mend}.` },
    locations: [
      {
        physicalLocation: { artifactLocation: { uri: encodeURI(checked.artifact) } },
        ...(finding.where !== undefined && { logicalLocations: [{ fullyQualifiedName: finding.where }] }),
      },
    ],
    ...(finding.accepted !== undefined && {
      suppressions: [
        {
          kind: 'external',
          status: 'accepted',
          justification: `${finding.accepted.reason} (until ${finding.accepted.until})`,
        },
      ],
    }),
  };
}
