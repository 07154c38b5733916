/** The page of weights, in a real browser. */
import { cpSync, statSync } from 'node:fs';
import { join } from 'node:path';
import type { Page } from 'playwright-core';
import { itWithBrowser, TestBrowser } from '../support/browser';
import { nodeProject } from '../support/npm';
import { put, run } from '../support/program';

const EVIL = `<img src=x onerror=alert(1)></script><script>alert(2)</script>`;

/** An entry, a module that leads to a heavy table, one beside it, and a file whose name is markup. */
function project(): string {
  const root = nodeProject(
    {
      'alert.mjs': "import './tides/table.mjs';\nimport './surge.mjs';\nexport const decide = () => 1;\n",
      'tides/table.mjs': "import rows from './rows.json' with { type: 'json' };\nexport const table = rows;\n",
      'tides/rows.json': JSON.stringify('high '.repeat(900)),
      'surge.mjs': `export const surge = '${'s'.repeat(600)}';\n`,
      [`data/${EVIL.replaceAll('/', '∕')}.txt`]: 'markup',
    },
    { trim: 'traced', keep: ['data/**'], arch: ['x86_64', 'arm64'] },
  );
  expect(run(root, ['build'])).toMatchObject({ status: 0, stderr: '' });
  expect(run(root, ['weigh', '--report', 'weights.html'])).toMatchObject({ status: 0, stderr: '' });
  return root;
}

/** What a line of script in the page gives. */
const result = async <T>(page: Page, script: string): Promise<T> => await page.evaluate(script);
const attributes = (selector: string): string =>
  `Array.from(document.querySelectorAll('${selector}'), (one) => one.getAttribute('aria-label'))`;
const names = (page: Page): Promise<string[]> => result(page, attributes('g.block'));
const focused = (page: Page): Promise<string> => result(page, "document.activeElement.getAttribute('aria-label')");

describe('the page of weights', () => {
  const browser = new TestBrowser();
  let file: string;
  beforeAll(() => {
    file = join(project(), 'weights.html');
  });
  afterAll(() => browser.close());

  itWithBrowser('shows what hangs by what, and is entered by clicks', async () => {
    const { page, trouble } = await browser.open(file);
    expect(await page.title()).toBe('What takes the room');
    expect(await page.textContent('#name')).toBe('alert arm64');
    const all = await names(page);
    expect(all[0]).toMatch(/^alert, 5\.\d+ KiB, 100 %$/);
    expect(all.some((one) => one.startsWith('tides/rows.json, 4.39 KiB'))).toBe(true);
    await page.locator('g.block[aria-label^="tides/table.mjs"]').click();
    expect(await page.locator('#trail button').allTextContents()).toEqual(['alert', 'alert.mjs', 'tides/table.mjs']);
    expect((await names(page))[0]).toMatch(/^tides\/table\.mjs/);
    await page.locator('g.block[aria-label^="tides/rows.json"]').hover();
    expect(await page.locator('.chain li').allTextContents()).toEqual([
      'alert',
      'alert.mjs line 1',
      'tides/table.mjs line 1',
      'tides/rows.json',
    ]);
    await page.click('#back');
    expect((await names(page))[0]).toMatch(/^alert, /);
    expect(await page.isDisabled('#back')).toBe(true);
    expect(trouble).toEqual([]);
  });

  itWithBrowser('is used by the keyboard alone', async () => {
    const { page, trouble } = await browser.open(file);
    await page.locator('g.block').first().focus();
    await page.keyboard.press('ArrowRight');
    expect(await focused(page)).toMatch(/^alert\.mjs/);
    await page.keyboard.press('ArrowRight');
    const first = await focused(page);
    await page.keyboard.press('ArrowDown');
    expect(await focused(page)).not.toBe(first);
    await page.keyboard.press('ArrowUp');
    expect(await focused(page)).toBe(first);
    await page.keyboard.press('Enter');
    expect(await page.locator('#trail button').count()).toBe(3);
    await page.keyboard.press('Escape');
    expect(await page.locator('#trail button').count()).toBe(1);
    await page.locator('g.block').first().focus();
    await page.keyboard.press('ArrowRight');
    await page.keyboard.press('ArrowLeft');
    expect(await focused(page)).toMatch(/^alert, /);
    expect(trouble).toEqual([]);
  });

  itWithBrowser('arranges the same bytes otherwise, and dims what is not searched for', async () => {
    const { page, trouble } = await browser.open(file);
    for (const by of ['dependency', 'folder', 'kind', 'reasons']) {
      await page.getByRole('radio', { name: by, exact: true }).check();
      expect((await names(page))[0]).toMatch(/^alert, 5\.\d+ KiB, 100 %$/);
    }
    await page.getByRole('radio', { name: 'packed', exact: true }).check();
    expect((await names(page))[0]).toMatch(/^alert, \d+ B, 100 %$/);
    await page.fill('#search', 'ROWS');
    expect(await page.textContent('#found')).toBe('1 part matches');
    const dimmed = await result<string[]>(page, attributes('g.block.dimmed'));
    expect(dimmed.length).toBeGreaterThan(0);
    expect(dimmed.some((one) => one.includes('rows.json'))).toBe(false);
    expect(trouble).toEqual([]);
  });

  itWithBrowser('has a table that is sorted and filtered, limits and findings', async () => {
    const { page, trouble } = await browser.open(file);
    const paths = (): Promise<string[]> => page.locator('#parts tbody td:first-child').allTextContents();
    expect((await paths())[0]).toBe('tides/rows.json');
    await page.getByRole('button', { name: 'part', exact: true }).click();
    const sorted = await paths();
    expect(sorted).toEqual([...sorted].sort());
    expect(await page.getAttribute('#parts th:first-child', 'aria-sort')).toBe('ascending');
    await page.fill('#filter', 'surge');
    expect(await paths()).toEqual(['surge.mjs']);
    expect(await page.locator('.limit').count()).toBeGreaterThan(0);
    expect(await page.locator('#sections h2').allTextContents()).toEqual(
      expect.arrayContaining(['Findings', 'Dependencies']),
    );
    expect(trouble).toEqual([]);
  });

  itWithBrowser('runs nothing that an artifact holds, loads nothing, and is dark where that is wanted', async () => {
    const { page, trouble } = await browser.open(file, { scheme: 'dark', width: 400 });
    await page.fill('#filter', 'onerror');
    expect(await page.locator('#parts tbody td:first-child').allTextContents()).toEqual([
      `data/${EVIL.replaceAll('/', '∕')}.txt`,
    ]);
    expect(await page.locator('img').count()).toBe(0);
    expect(await result(page, 'getComputedStyle(document.body).backgroundColor')).toBe('rgb(18, 25, 30)');
    const { scrollWidth, clientWidth } = await result<Record<string, number>>(
      page,
      '({ scrollWidth: document.documentElement.scrollWidth, clientWidth: document.documentElement.clientWidth })',
    );
    expect(scrollWidth).toBe(clientWidth);
    await page.selectOption('#which', { label: 'alert x86_64' });
    expect(await page.textContent('#name')).toBe('alert x86_64');
    expect(trouble).toEqual([]);
  });

  itWithBrowser('shows what differs from another build', async () => {
    const root = join(file, '..');
    cpSync(join(root, 'out'), join(root, 'before'), { recursive: true });
    put(root, { 'src/surge.mjs': "export const surge = '';\n" });
    expect(run(root, ['build']).status).toBe(0);
    expect(run(root, ['weigh', '--over', 'before', '--report', 'over.html'])).toMatchObject({ status: 0, stderr: '' });
    const { page, trouble } = await browser.open(join(root, 'over.html'));
    expect(await page.locator('#sections h2').first().textContent()).toBe('Since before');
    const rows = await page.locator('#sections section').first().locator('tr').allTextContents();
    expect(rows).toContain('changedsurge.mjstext−600 B');
    expect(trouble).toEqual([]);
  });

  itWithBrowser('shows many small files as few blocks, each of which is entered', async () => {
    const small = Object.fromEntries(
      Array.from({ length: 3000 }, (_, i) => [`rows/r${String(i)}.json`, JSON.stringify('x'.repeat(20 + (i % 7)))]),
    );
    const root = nodeProject({ 'alert.mjs': 'export const decide = () => 1;\n' });
    put(root, Object.fromEntries(Object.entries(small).map(([path, text]) => [`src/${path}`, text])));
    expect(run(root, ['build']).status).toBe(0);
    expect(run(root, ['weigh', '--report', 'many.html']).status).toBe(0);
    expect(statSync(join(root, 'many.html')).size).toBeLessThan(400_000);
    const { page, trouble } = await browser.open(join(root, 'many.html'));
    expect(await page.locator('g.block').count()).toBeLessThan(200);
    const many = page.locator('g.block[aria-label*=" smaller,"]').first();
    const before = await many.getAttribute('aria-label');
    await many.click();
    expect(await page.locator('g.block').nth(1).getAttribute('aria-label')).not.toBe(before);
    await page.click('#back');
    expect(await many.getAttribute('aria-label')).toBe(before);
    expect(trouble).toEqual([]);
  });
});
