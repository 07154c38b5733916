/** What stands around the picture: limits as bars, dependencies, findings, what went, what could go, what changed. */
import type { PageReport } from '../../core/base/weights-page';
import { drawn, element } from './dom';
import { countText, digitGroups, shareText, sizeText } from './words';

/** How much of each limit is used; nothing where none is known. */
export function limitsSection({ limits }: PageReport): HTMLElement[] {
  if (limits.length === 0) return [];
  const rows = limits.map(({ name, used, allowed, unit, by }) => {
    const show = (n: number): string => (unit === 'bytes' ? sizeText(n) : digitGroups(n));
    const share = Math.min(1, used / Math.max(1, allowed));
    const state = used > allowed ? 'over' : share > 0.9 ? 'near' : 'within';
    const words = `${show(used)} of ${show(allowed)}, ${shareText(used, allowed)} (${by})`;
    return element(
      'div',
      { class: `limit ${state}`, role: 'img', 'aria-label': `${name}: ${words}` },
      element('span', { class: 'limit-name' }, name),
      bar(share),
      element('span', {}, words),
    );
  });
  return [element('div', { class: 'limits' }, ...rows)];
}

function bar(share: number): SVGSVGElement {
  const filled = drawn('rect', { class: 'filled', width: `${Math.max(0.5, share * 100).toFixed(1)}%`, height: '100%' });
  return drawn(
    'svg',
    { class: 'bar', 'aria-hidden': 'true' },
    drawn('rect', { class: 'empty', width: '100%', height: '100%' }),
    filled,
  );
}

/** What each dependency weighs, alone and with what others lead to as well. */
export function dependenciesSection({ dependencies }: PageReport): HTMLElement[] {
  const hasAlone = dependencies.some(({ alone }) => alone !== undefined);
  const heads = ['dependency', 'unpacked', 'packed', ...(hasAlone ? ['alone', 'shared'] : []), 'asked for by'];
  const rows = dependencies.map(({ name, unpacked, packed, alone, shared, by }) => [
    ...[name, sizeText(unpacked), sizeText(packed)],
    ...(hasAlone ? [alone, shared].map((one) => (one === undefined ? '' : sizeText(one.unpacked))) : []),
    by?.join(', ') ?? '',
  ]);
  const note = hasAlone
    ? [
        element(
          'p',
          { class: 'note' },
          'Alone is what would go if it went: its own, and what only it leads to. Shared is what others need too.',
        ),
      ]
    : [];
  return [section('Dependencies', ...note, table(heads, rows, hasAlone ? [1, 2, 3, 4] : [1, 2]))];
}

/** What rules found; nothing where nothing was checked. */
export function findingsSection({ findings }: PageReport): HTMLElement[] {
  if (findings === undefined) return [];
  if (findings.length === 0) return [section('Findings', element('p', {}, 'None: it fits where it goes.'))];
  const items = findings.map(({ rule, level, where, expected, found, mend }) =>
    element(
      'li',
      { class: `level-${level}` },
      element('strong', {}, `${level} ${rule}`),
      ...(where === undefined ? [] : [' ', element('code', {}, where)]),
      element('br'),
      `expected ${expected}; found ${found}. To mend it, ${mend}.`,
    ),
  );
  return [section('Findings', element('ul', { class: 'findings' }, ...items))];
}

/** What was taken out, and by which rule. */
export function trimmedSection({ trimmed, total }: PageReport): HTMLElement[] {
  if (trimmed.length === 0) return [];
  const saved = trimmed.reduce((sum, { size }) => sum + size, 0);
  const rows = trimmed.map(({ name, by, size, files }) => [by, name, countText(files, 'file'), sizeText(size)]);
  const words = `${sizeText(saved)}, ${shareText(saved, saved + total.unpacked)} of what it would be.`;
  return [section('Left out by trimming', element('p', {}, words), table(['rule', 'of', 'files', 'saved'], rows, [3]))];
}

/** What could still go. */
export function savingsSection({ savings }: PageReport): HTMLElement[] {
  if (savings.length === 0) return [];
  const rows = savings.map(({ what, about, unpacked, line }) => [
    ...[what, about, unpacked === undefined ? 'to be tried' : sizeText(unpacked), line ?? ''],
  ]);
  return [section('What could still go', table(['what', 'which is', 'saves', 'line of the sheet'], rows, [2]))];
}

/** What became more and less since an earlier build; nothing without one. */
export function growthSection({ growth }: PageReport): HTMLElement[] {
  if (growth === undefined) return [];
  const { since, before, now, changes } = growth;
  const totals = (['packed', 'unpacked'] as const).map((key) => [
    ...[key, sizeText(before[key]), sizeText(now[key]), signed(now[key] - before[key])],
  ]);
  const rows = changes.map(({ name, by, versions }) => [name, versions, signed(by)]);
  const none = element('p', {}, 'Nothing that it is made of has changed its weight.');
  return [
    section(
      `Since ${since}`,
      table(['', 'before', 'now', 'change'], totals, [1, 2, 3]),
      rows.length === 0 ? none : table(['of', 'version', 'change'], rows, [2]),
      ...differencesIn(growth),
    ),
  ];
}

/** Entry by entry, where the other artifact was there to be looked into. */
function differencesIn({ differences, unlisted }: NonNullable<PageReport['growth']>): HTMLElement[] {
  if (differences === undefined || differences.length === 0) return [];
  const rows = differences.map(({ change, path, to, as, by }) => [
    ...[change, to === undefined ? path : `${path} → ${to}`, as ?? '', by === 0 ? '' : signed(by)],
  ]);
  const more = unlisted === 0 ? [] : [element('p', { class: 'note' }, `and ${countText(unlisted, 'more difference')}`)];
  return [element('h3', {}, 'What differs'), table(['change', 'what', 'as', 'change in bytes'], rows, [3]), ...more];
}

function signed(by: number): string {
  return by === 0 ? '±0' : `${by > 0 ? '+' : '−'}${sizeText(Math.abs(by))}`;
}

function section(title: string, ...inside: readonly (Node | string)[]): HTMLElement {
  return element('section', {}, element('h2', {}, title), ...inside);
}

function table(
  heads: readonly string[],
  rows: readonly (readonly string[])[],
  numbers: readonly number[],
): HTMLElement {
  const className = (i: number): string => (numbers.includes(i) ? 'number' : '');
  const head = heads.map((text, i) => element('th', { scope: 'col', class: className(i) }, text));
  const body = rows.map((row) =>
    element('tr', {}, ...row.map((text, i) => element('td', { class: className(i) }, text))),
  );
  return element(
    'div',
    { class: 'wide' },
    element('table', {}, element('thead', {}, element('tr', {}, ...head)), element('tbody', {}, ...body)),
  );
}
