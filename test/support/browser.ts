/** A browser for pages that the program writes. */
import { spawnSync } from 'node:child_process';
import { chromium, type Browser, type Page } from 'playwright-core';
import { itNeeds } from './needs';

function found(): string {
  const { stdout } = spawnSync('sh', ['-c', 'command -v chromium || command -v chromium-browser'], {
    encoding: 'utf8',
  });
  return stdout.trim();
}

export const BROWSER = found();
export const itWithBrowser = itNeeds({ isHere: BROWSER !== '', what: 'a browser', from: 'chromium' });

export interface Opened {
  readonly page: Page;
  /** What it wrote to its console, what failed in it, and what it wanted from elsewhere. */
  readonly trouble: string[];
}

export class TestBrowser {
  #browser: Browser | undefined;

  async open(
    file: string,
    options: { readonly scheme?: 'light' | 'dark'; readonly width?: number } = {},
  ): Promise<Opened> {
    this.#browser ??= await chromium.launch({ executablePath: BROWSER, args: ['--no-sandbox'] });
    const { scheme = 'light', width = 1280 } = options;
    const page = await this.#browser.newPage({ colorScheme: scheme, viewport: { width, height: 800 } });
    const trouble: string[] = [];
    page.on('console', (message) => trouble.push(`${message.type()}: ${message.text()}`));
    page.on('pageerror', (error) => trouble.push(error.message));
    page.on('dialog', (dialog) => {
      trouble.push(`dialog: ${dialog.message()}`);
      void dialog.dismiss();
    });
    page.on('request', (request) => {
      if (request.url() !== `file://${file}`) trouble.push(`asked for ${request.url()}`);
    });
    await page.goto(`file://${file}`);
    await page.waitForSelector('g.block');
    return { page, trouble };
  }

  async close(): Promise<void> {
    await this.#browser?.close();
  }
}
