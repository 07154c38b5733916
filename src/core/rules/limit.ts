/** What all rules share that hold an amount against a limit: the lower of two limits, a finding when it is passed, a warning when it is near. */
import { digitGroups } from '../base/text';
import { formatSize } from '../base/units';
import { lowestLimit, percent, showAmount } from '../findings/amounts';
import { findings, type Finding, type Gauge, type RuleContext, type RuleResult } from '../findings/rule';
import type { Limits } from '../sheet';

const NEAR = 0.9;

export interface LimitQuestion {
  readonly key: keyof Limits;
  readonly used: number;
  readonly unit: Gauge['unit'];
  /** What is measured, as it stands before "of": `the artifact`. */
  readonly what: string;
  readonly where?: string;
  readonly mend: string;
}

/** Holds an amount against the limits of destination and sheet. */
export function checkLimit(context: RuleContext, question: LimitQuestion): RuleResult {
  const { used, unit } = question;
  const { destination, subject, facts } = context;
  const lowest = lowestLimit(destination.accepts[subject.form.id], facts.limits, question.key);
  if (lowest === undefined) return findings();
  const limit = { allowed: lowest.allowed, by: lowest.isOwn ? 'packing sheet' : destination.name };
  const gauge: Gauge = { used, unit, ...limit };
  const passed = used > limit.allowed;
  if (!passed && used <= limit.allowed * NEAR) return { findings: [], gauge };
  const exact =
    unit === 'bytes' && formatSize(used) === formatSize(limit.allowed) ? ` (${digitGroups(used)} bytes)` : '';
  const finding: Finding = {
    level: passed ? 'stop' : 'warn',
    ...(question.where !== undefined && { where: question.where }),
    expected: `at most ${showAmount(limit.allowed, unit)} (${limit.by})`,
    found: `${question.what} of ${showAmount(used, unit)}${exact}${passed ? '' : `, ${percent(used / limit.allowed)} of it`}`,
    mend: question.mend,
  };
  return { findings: [finding], gauge };
}
