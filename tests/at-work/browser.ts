import { readFile } from 'node:fs/promises';
import axe from 'axe-core';
import { type Browser, chromium, type Page } from 'playwright-core';
import type { ServiceAtWork } from './service.js';

const flags = [
  '--no-sandbox',
  '--disable-gpu',
  '--disable-quic',
  '--no-first-run',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
];

export const openBrowser = (): Promise<Browser> => chromium.launch({ executablePath: '/usr/bin/chromium', args: flags });

/** A page that is signed in, and what it asked of other hosts or complained of. */
export interface SignedIn {
  readonly page: Page;
  readonly elsewhere: string[];
  readonly complaints: string[];
}

export async function signIn(
  browser: Browser,
  service: ServiceAtWork,
  options: { width?: number; height?: number; theme?: 'light' | 'dark'; path?: string } = {},
): Promise<SignedIn> {
  const { width = 1280, height = 800, theme = 'light', path = '/' } = options;
  const page = await browser.newPage({ viewport: { width, height }, colorScheme: theme, reducedMotion: 'reduce' });
  const elsewhere: string[] = [];
  const complaints: string[] = [];
  const own = new URL(service.url).host;
  page.on('request', (request) => {
    const url = new URL(request.url());
    if (url.host !== own && url.protocol !== 'data:' && url.protocol !== 'blob:') elsewhere.push(request.url());
  });
  page.on('websocket', (socket) => {
    if (new URL(socket.url()).host !== own) elsewhere.push(socket.url());
  });
  page.on('pageerror', (error) => complaints.push(error.message));
  // Who is not signed in yet is told so with 401: the browser notes that, and nothing else.
  page.on('console', (message) => {
    if (message.type() === 'error' && !message.text().includes('401')) complaints.push(message.text());
  });
  const { name, password } = JSON.parse(await readFile(`${service.home}/first-sign-in.json`, 'utf8')) as { name: string; password: string };
  await page.goto(`${service.url}${path}`);
  await page.getByLabel('Name').last().fill(name);
  await page.getByLabel('Password').last().fill(password);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.getByRole('navigation', { name: 'Places' }).waitFor();
  return { page, elsewhere, complaints };
}

/** What axe finds serious or worse on a page. */
export async function seriousFindings(page: Page): Promise<string[]> {
  await page.evaluate(axe.source);
  const results = await page.evaluate(() => (globalThis as unknown as { axe: typeof axe }).axe.run());
  return results.violations
    .filter(({ impact }) => impact === 'serious' || impact === 'critical')
    .map(
      ({ id, nodes }) =>
        `${id}: ${nodes
          .map(({ html }) => html)
          .join(' ')
          .slice(0, 300)}`,
    );
}
