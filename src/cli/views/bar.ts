/** A bar that shows how much of a limit is used. */
import { percent, showAmount } from '../../core/findings/amounts';
import type { Gauge } from '../../core/rules';
import type { Paint } from './paint';

const WIDTH = 24;
/** Eighths of a cell, for the part of a bar that fills no whole cell. */
const PARTS = ['', '▏', '▎', '▍', '▌', '▋', '▊', '▉'] as const;
const NEAR = 0.9;

/** A bar for a share from 0 to 1, without a limit to pass. */
export function shareBar(share: number, paint: Paint): string {
  const filled = filledTo(share);
  return paint.name(filled) + ' '.repeat(Math.max(0, WIDTH - filled.length));
}

function filledTo(share: number): string {
  const eighths = Math.max(share > 0 ? 1 : 0, Math.round(Math.min(1, share) * WIDTH * 8));
  return '█'.repeat(eighths >> 3) + (PARTS[eighths & 7] ?? '');
}

/** `████▌···········`, red when the limit is passed; whatever is used shows at least a sliver. */
export function bar(gauge: Gauge, paint: Paint): string {
  const share = gauge.allowed === 0 ? 1 : Math.min(1, gauge.used / gauge.allowed);
  const filled = filledTo(share);
  const color = gauge.used > gauge.allowed ? paint.bad : gauge.used > gauge.allowed * NEAR ? paint.doubt : paint.good;
  return color(filled) + paint.dim('·'.repeat(Math.max(0, WIDTH - filled.length)));
}

/** The cells of a gauge's row: used, allowed, per cent, who sets the limit. */
export function gaugeCells(gauge: Gauge): [used: string, allowed: string, percent: string, by: string] {
  return [
    showAmount(gauge.used, gauge.unit),
    `of ${showAmount(gauge.allowed, gauge.unit)}`,
    percent(gauge.used / Math.max(1, gauge.allowed)),
    gauge.by,
  ];
}
