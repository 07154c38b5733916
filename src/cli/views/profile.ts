/** Where the time of a cold start goes, as tables. */
import { digitGroups, printable } from '../../core/base/text';
import type { LoadCost } from '../../core/languages';
import type { StartProfile } from '../calling/profile';
import { shareBar } from './bar';
import type { Paint } from './paint';
import { table } from './table';

const SHOWN = 15;
/** What can be put off is worth a word from here on. */
const WORTH_MS = 2;
const SMALL_MS = 0.1;

/** What the start of a function spent its time on, start by start. */
export function profileText(profiles: readonly StartProfile[], paint: Paint): string {
  const [warm, cold] = profiles;
  if (warm === undefined || cold === undefined) return '';
  const rows: [string, (one: StartProfile) => number][] = [
    ['unpack', (one) => one.unpackMs],
    ['runtime', (one) => one.runtimeMs],
    ['load', (one) => one.loadMs],
    ['first call', (one) => one.callMs],
    ['together', (one) => one.unpackMs + one.runtimeMs + one.loadMs + one.callMs],
  ];
  const phases = table(
    [
      ['', paint.dim('files in memory'), paint.dim('not in memory')],
      ...rows.map(([name, of]) => [name, ms(of(warm)), ms(of(cold))]),
    ],
    [1, 2],
  );
  return [phases, ...costLines(warm, paint), ...laterLines(warm.costs, paint)].join('\n');
}

function costLines({ costs }: StartProfile, paint: Paint): string[] {
  const all = costs
    .filter(({ selfMs, totalMs }) => Math.max(selfMs, totalMs) >= SMALL_MS)
    .sort((a, b) => b.selfMs - a.selfMs);
  const shown = all.slice(0, SHOWN);
  if (shown.length === 0) return [];
  const most = shown[0]?.selfMs ?? 1;
  const rows = shown.map(({ name, selfMs, totalMs, by }) => [
    shareBar(selfMs / most, paint),
    ms(selfMs),
    ms(totalMs),
    printable(name),
    by === undefined ? '' : paint.dim(`for ${printable(by)}`),
  ]);
  const more = all.length - shown.length;
  return [
    '',
    paint.dim('loading, by what takes most by itself; beside it with all that it loads'),
    table(rows, [1, 2]),
    ...(more > 0 ? [paint.dim(`and ${digitGroups(more)} more; --json has them all`)] : []),
  ];
}

/** What the function's own code imports at once and needs only when it is called. */
function laterLines(costs: readonly LoadCost[], paint: Paint): string[] {
  const later = costs
    .filter(({ isLater, totalMs }) => isLater === true && totalMs >= WORTH_MS)
    .sort((a, b) => b.totalMs - a.totalMs);
  if (later.length === 0) return [];
  return [
    '',
    'imported at once, used only in functions: imported there instead, the start would not wait for them',
    ...later.slice(0, SHOWN).map(({ name, totalMs }) => `  ${ms(totalMs)}  ${paint.name(printable(name))}`),
  ];
}

function ms(value: number): string {
  return `${value < 10 ? value.toFixed(1) : value.toFixed(0)} ms`;
}
