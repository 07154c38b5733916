/** How the result of a check reads: bars for the limits, then what was found, then what was not looked at. */
import { count, listed } from '../../core/base/text';
import type { CheckedArtifact, CheckedFinding, RuleOutcome } from '../../core/pipeline/check';
import { bar, gaugeCells } from './bar';
import { lines } from './error';
import type { Paint } from './paint';
import { table } from './table';

export interface CheckTextOptions {
  readonly paint: Paint;
  readonly quiet: boolean;
  readonly verbose: boolean;
}

/** All of them; architectures of which the same is to be said are said once. */
export function checkTexts(all: readonly CheckedArtifact[], options: CheckTextOptions): string {
  const groups: CheckedArtifact[][] = [];
  for (const one of all) {
    const group = groups.at(-1);
    const [alike] = group?.filter((other) => isSaidAlike(other, one)) ?? [];
    if (group === undefined || alike === undefined) groups.push([one]);
    else group.push(one);
  }
  return groups.map((group) => groupText(group, options)).join('\n\n');
}

function isSaidAlike(a: CheckedArtifact, b: CheckedArtifact): boolean {
  return JSON.stringify([a.name, a.destination, a.outcomes]) === JSON.stringify([b.name, b.destination, b.outcomes]);
}

function groupText(group: readonly CheckedArtifact[], options: CheckTextOptions): string {
  const [checked] = group;
  if (checked === undefined) return '';
  const { paint } = options;
  const findings = checked.outcomes.flatMap((outcome) => outcome.findings);
  const parts = [headline(group, findings, paint)];
  const gauges = options.quiet ? '' : gaugeTable(checked.outcomes, paint);
  if (gauges !== '') parts.push(gauges);
  for (const finding of findings)
    if (finding.accepted === undefined || !options.quiet) parts.push(findingText(finding, paint));
  if (!options.quiet) parts.push(footer(checked, findings, options));
  return parts.join('\n\n');
}

function headline(group: readonly CheckedArtifact[], findings: readonly CheckedFinding[], paint: Paint): string {
  const archs = listed(group.flatMap((one) => one.arch ?? []));
  const { name = '', destination = '', artifact = '' } = group[0] ?? {};
  const file = group.length === 1 ? `  ${paint.dim(artifact)}` : '';
  return `${paint.bold(name)}${archs === '' ? '' : ` ${archs}`} for ${destination}: ${verdict(findings, paint)}${file}`;
}

function verdict(findings: readonly CheckedFinding[], paint: Paint): string {
  const open = findings.filter((finding) => finding.accepted === undefined);
  const stops = open.filter((finding) => finding.level === 'stop').length;
  if (stops > 0) return paint.bad(`stop, ${count(stops, 'finding')}`);
  const warnings = open.filter((finding) => finding.level === 'warn').length;
  return warnings > 0 ? paint.doubt(`fit to go, ${count(warnings, 'warning')}`) : paint.good('fit to go');
}

function gaugeTable(outcomes: readonly RuleOutcome[], paint: Paint): string {
  const rows = outcomes.flatMap(({ rule, gauge }) => {
    if (gauge === undefined) return [];
    const [used, allowed, share, by] = gaugeCells(gauge);
    return [[rule.id, bar(gauge, paint), used, paint.dim(allowed), share, paint.dim(by)]];
  });
  return rows.length === 0 ? '' : table(rows, [2, 4]);
}

function findingText(finding: CheckedFinding, paint: Paint): string {
  const where = finding.where === undefined ? '' : `  ${paint.name(finding.where)}`;
  const { accepted, endedAcceptance, expected, found, mend } = finding;
  const parts = { expected, found, mend: accepted === undefined ? mend : undefined };
  const remark =
    accepted !== undefined
      ? { accepted: `until ${accepted.until}: ${accepted.reason}` }
      : endedAcceptance !== undefined
        ? { accepted: `only until ${endedAcceptance.until}, which is over: ${endedAcceptance.reason}` }
        : {};
  return [
    `  ${levelWord(finding, paint)}  ${paint.bold(finding.rule)}${where}`,
    ...lines(paint, { ...parts, ...remark }, '        '),
  ].join('\n');
}

function levelWord({ level, accepted }: CheckedFinding, paint: Paint): string {
  if (accepted !== undefined) return paint.dim('okay');
  if (level === 'stop') return paint.bad('stop');
  return level === 'warn' ? paint.doubt('warn') : paint.name('note');
}

function footer(
  checked: CheckedArtifact,
  findings: readonly CheckedFinding[],
  { paint, verbose }: CheckTextOptions,
): string {
  const broken = new Set(findings.map((finding) => finding.rule));
  const applied = checked.outcomes.filter((outcome) => outcome.lacking.length === 0);
  const held = applied.filter(({ rule }) => !broken.has(rule.id));
  const rows = [`  ${paint.dim(`${count(held.length, 'rule')} ${held.length === 1 ? 'holds' : 'hold'}`)}`];
  if (verbose) rows.push(...held.map(({ rule }) => `    ${paint.dim(`${rule.id}: ${rule.title}`)}`));
  const lacking = checked.outcomes.filter((outcome) => outcome.lacking.length > 0);
  if (lacking.length > 0) {
    const needs = [...new Set(lacking.flatMap((outcome) => outcome.lacking))];
    const result = needs.map((need) => (need === 'settings' ? 'the settings of a sheet' : `--${need}`)).join(', ');
    rows.push(
      `  ${paint.doubt(`${count(lacking.length, 'rule')} not applied`)} for want of ${result}: ${lacking.map(({ rule }) => rule.id).join(', ')}`,
    );
  }
  return rows.join('\n');
}
