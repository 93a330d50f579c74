import assert from 'node:assert/strict';
import { after, before, test } from 'node:test';
import type { Browser } from 'playwright-core';
import { openBrowser, seriousFindings, signIn } from './at-work/browser.js';
import { Garden } from './at-work/garden.js';

let garden: Garden;
let browser: Browser;
before(async () => {
  garden = await Garden.open({ camera: {} });
  browser = await openBrowser();
});
after(async () => {
  await browser?.close();
  await garden.close();
});

test('watch shows the live picture, its level, and an urgent firing at once with its chain', async () => {
  const { page, elsewhere, complaints } = await signIn(browser, garden.service);
  await page.getByAltText('Live picture of Gatehouse drive').waitFor();
  await page.getByRole('img', { name: 'Level of drive' }).waitFor();
  const before = await page.getByAltText('Live picture of Gatehouse drive').getAttribute('src');
  await page.waitForFunction((old) => document.querySelector('.picture img')?.getAttribute('src') !== old, before);
  assert.deepEqual(await page.locator('.zone text, .ignored text').allTextContents(), ['drive', 'road']);

  // The walker comes by himself, about twenty seconds after the camera has started.
  const notice = page.getByRole('alert').filter({ hasText: 'Somebody on the drive when closed' });
  await notice.waitFor({ timeout: 60_000 });
  await page
    .getByRole('link', { name: /Motion on the drive of Gatehouse drive/ })
    .first()
    .waitFor();
  assert.deepEqual(await seriousFindings(page), []);

  await notice.getByRole('link', { name: 'See the chain' }).click();
  await page.getByRole('heading', { name: 'Motion on the drive of Gatehouse drive' }).waitFor();
  await page.locator('[data-action="desk"] [data-state="delivered"]').waitFor();
  await page.locator('[data-action="message"] [data-state="delivered"]').waitFor();
  assert.equal(
    await page.getByAltText('Picture of the moment').evaluate((image: HTMLImageElement) => image.decode().then(() => image.naturalWidth)),
    1280,
  );
  assert.match(await page.locator('[data-verdict="out-of-hours"]').innerText(), /Held|Fired/);
  assert.deepEqual(await seriousFindings(page), []);
  assert.deepEqual(elsewhere, [], 'no request leaves the host');
  assert.deepEqual(complaints, []);
});

test('the mode is set on the page and holds the rule', async () => {
  const { page } = await signIn(browser, garden.service);
  await page.locator('.mode .n-base-selection').click();
  await page.locator('.n-base-select-option', { hasText: /^open$/ }).click();
  await garden.service.when(
    async () => (await garden.service.client.call('mode', { params: { site: 'quillmere' } })).mode,
    (mode) => mode === 'open',
  );
  const id = await garden.visit();
  await page.goto(`${garden.service.url}/ledger/events/${id}`);
  await page.getByText('mode is open, not closed').waitFor();
  // The other rule of the drive records by the clock of the machine, which may say evening.
  assert.match(await page.locator('[data-verdict="night-visitor"]').innerText(), /Held/);
  await garden.service.client.call('setMode', { params: { site: 'quillmere' }, body: { mode: 'closed' } });
});

test('a connection that is lost says since when, and goes on by itself', async () => {
  const { page } = await signIn(browser, garden.service);
  await page.getByAltText('Live picture of Gatehouse drive').waitFor();
  await garden.service.kill();
  await page.getByText(/No connection since \d\d:\d\d:\d\d/).waitFor();
  await garden.service.up();
  await page.getByText(/No connection since/).waitFor({ state: 'detached' });
  await page.getByText('live', { exact: true }).or(page.getByText('live, settling')).first().waitFor();
});

test('who is not signed in sees nothing and comes back to where they wanted', async () => {
  const page = await browser.newPage();
  await page.goto(`${garden.service.url}/rules`);
  await page.getByRole('heading', { name: 'Sign in' }).waitFor();
  await page.getByLabel('Password').last().fill('wrong');
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.getByRole('alert').filter({ hasText: 'Name or password is wrong' }).waitFor();
  assert.deepEqual(await seriousFindings(page), []);
  const policy = (await page.request.get(garden.service.url)).headers()['content-security-policy'];
  assert.match(policy, /default-src 'none'.*frame-ancestors 'none'/);
});
