/** How growth reads: both weights, and what changed between them. */
import { count, printable } from '../../core/base/text';
import { formatSize } from '../../core/base/units';
import type { Change, Growth } from '../../core/pipeline/weigh';
import { percent } from '../../core/findings/amounts';
import type { Paint } from './paint';
import { table } from './table';

const SHOWN = 12;

/** What grew and shrank, the most first. @param since what it is held against, as shown */
export function growthText({ before, now, changes }: Growth, since: string, paint: Paint, verbose: boolean): string {
  const totals = (['packed', 'unpacked', 'files'] as const).map((key) => {
    const show = (n: number): string => (key === 'files' ? String(n) : formatSize(n));
    return [
      key,
      show(before[key]),
      '→',
      show(now[key]),
      signed(now[key] - before[key], show, paint),
      share(before[key], now[key]),
    ];
  });
  const shown = verbose ? changes : changes.slice(0, SHOWN);
  const rows = shown.map((one) => [
    signed(one.by, formatSize, paint),
    paint.name(printable(one.name)),
    paint.dim(changedVersions(one)),
  ]);
  return [
    `  ${paint.bold('since')} ${printable(since)}`,
    table(totals, [1, 3, 4, 5], '    '),
    changes.length === 0
      ? `    ${paint.dim('nothing that it is made of has changed its weight')}`
      : table(rows, [0], '    '),
    ...(changes.length > shown.length
      ? [paint.dim(`    … and ${count(changes.length - shown.length, 'more change')} (--verbose)`)]
      : []),
  ].join('\n');
}

/** `+1.2 KiB`, `−300 B`, `±0`. */
function signed(by: number, show: (n: number) => string, paint: Paint): string {
  if (by === 0) return paint.dim('±0');
  return by > 0 ? paint.doubt(`+${show(by)}`) : paint.good(`−${show(-by)}`);
}

function share(before: number, now: number): string {
  if (before === 0 || now === before) return '';
  return now > before ? `${percent((now - before) / before)} more` : `${percent((before - now) / before)} less`;
}

/** `3.1.0 → 3.2.0`, `is new`. */
export function changedVersions({ before, now }: Change): string {
  if (before === undefined) return now?.version === undefined ? 'is new' : `${now.version} is new`;
  if (now === undefined) return before.version === undefined ? 'is gone' : `${before.version} is gone`;
  return before.version === now.version ? (now.version ?? '') : `${before.version ?? '?'} → ${now.version ?? '?'}`;
}
