/** The page of weights as a file: the page that was made with the program, with what it shows in it. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { PageChange, PageData, PageFinding, PageGrowth, PageReport } from '../../core/base/weights-page';
import { present } from '../../core/base/present';
import type { CheckedArtifact } from '../../core/pipeline/check';
import type { Comparison } from '../../core/pipeline/compare';
import { pageReport, type Change, type Growth, type Weighed } from '../../core/pipeline/weigh';
import { TOOL } from '../program';
import { changedVersions } from './growth-text';
import { originsRemark } from './weigh-text';

export interface PageFacts {
  readonly weighed: Weighed;
  /** What it was held against, where that was done. */
  readonly checked?: CheckedArtifact;
  readonly growth?: { readonly since: string; readonly growth: Growth; readonly compared?: Comparison };
}

/** One HTML page, with everything that it shows inside it. @param title of the page */
export function weightsPage(title: string, all: readonly PageFacts[]): string {
  const data: PageData = { page: 1, by: TOOL, title, reports: all.map(reportOf) };
  const page = readFileSync(join(__dirname, '../page/page.html'), 'utf8');
  // In a script element nothing but `</script` and `<!--` means anything (HTML, "Restrictions for contents of script").
  const text = JSON.stringify(data).replaceAll('<', '\\u003c');
  return page.replace('%DATA%', () => text);
}

function reportOf({ weighed, checked, growth }: PageFacts): PageReport {
  return pageReport(weighed, {
    remark: originsRemark(weighed),
    ...(checked !== undefined && { findings: findingsOf(checked) }),
    ...(growth !== undefined && { growth: growthOf(growth) }),
  });
}

function findingsOf({ outcomes }: CheckedArtifact): PageFinding[] {
  const open = outcomes.flatMap(({ findings }) => findings).filter(({ accepted }) => accepted === undefined);
  return open.map(({ rule, level, where, expected, found, mend }) => {
    return { rule, level, expected, found, mend, ...(where !== undefined && { where }) };
  });
}

/** A page lists so many differences; more are told by their number. */
const MOST_DIFFERENCES = 500;

function growthOf({ since, growth, compared }: NonNullable<PageFacts['growth']>): PageGrowth {
  const { before, now, changes } = growth;
  const weight = ({ unpacked, packed }: Growth['now']): PageGrowth['now'] => ({ unpacked, packed });
  const all = compared?.differences ?? [];
  const differences = all
    .slice(0, MOST_DIFFERENCES)
    .map(({ change, path, to, as, by }) => ({ change, path, by, ...present({ to, as }) }));
  return {
    since,
    before: weight(before),
    now: weight(now),
    changes: changes.map(changeOf),
    unlisted: (compared?.unlisted ?? 0) + Math.max(0, all.length - MOST_DIFFERENCES),
    ...(compared !== undefined && { differences }),
  };
}

function changeOf(change: Change): PageChange {
  return { name: change.name, by: change.by, versions: changedVersions(change) };
}
