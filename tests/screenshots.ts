import { fileURLToPath } from 'node:url';
import type { Page } from 'playwright-core';
import { openBrowser, signIn } from './at-work/browser.js';
import { Garden } from './at-work/garden.js';

// The pictures of the manual: the demonstration site at work, with a walker on the drive.
const folder = fileURLToPath(new URL('../../docs/screenshots/', import.meta.url));
const garden = await Garden.open({ camera: { hour: 11 } });
const browser = await openBrowser();

async function shoot(
  name: string,
  path: string,
  ready: (page: Page) => Promise<unknown>,
  options: { theme?: 'light' | 'dark'; width?: number; height?: number } = {},
) {
  const { page } = await signIn(browser, garden.service, { path, ...options });
  await ready(page);
  await page.evaluate(() => document.fonts.ready);
  // What is in view has its picture; what is further down loads when it is needed.
  await page.waitForFunction(() =>
    [...document.images].every((image) => image.getBoundingClientRect().top > innerHeight || (image.complete && image.naturalWidth > 0)),
  );
  await page.screenshot({ path: `${folder}${name}.png` });
  await page.close();
}

try {
  const walked = await garden.service.when(
    async () =>
      (
        await garden.service.client.call('events', {
          params: { site: 'quillmere' },
          query: { limit: 5, fired: 'true', kind: 'motion.began' },
        })
      ).items[0],
    (event) => event !== undefined,
    ({ kind }) => kind === 'event',
  );
  if (!walked) throw new Error('nobody came');
  const picture = (page: Page) => page.getByAltText('Live picture of Gatehouse drive').waitFor();
  /** The meter is worth a look when it has half a minute of levels. */
  const watched = (seconds: number) => async (page: Page) => {
    await picture(page);
    await page.waitForFunction(
      (wanted) => (document.querySelector('.meter polyline')?.getAttribute('points')?.split(' ').length ?? 0) > wanted * 4,
      seconds,
      { timeout: 90_000 },
    );
  };
  const walkedOn = async (page: Page) => {
    await watched(20)(page);
    await page.locator('.seen.counted').first().waitFor({ timeout: 90_000 });
  };
  await shoot('watch', '/', walkedOn);
  // Past the lamp's going back, so that the chain is whole.
  const chain = `/ledger/events/${walked.id}`;
  await garden.service.chainWhen(walked.id, ({ firings }) =>
    firings[0].actions[0].deliveries.some(({ back, receipts }) => back && receipts.length > 0),
  );
  const whole = (page: Page) => page.locator('[data-action="desk"] [data-state="delivered"]').waitFor();
  await shoot('chain', chain, whole, { height: 1060 });
  await shoot('chain-dark', chain, whole, { theme: 'dark', height: 1060 });

  const tried = async (page: Page) => {
    await page.getByRole('button', { name: 'What would it do?' }).first().click();
    await page.getByText('It would fire.').waitFor();
  };
  await shoot('rules', '/rules', tried);
  await shoot('rules-phone', '/rules', (page) => page.locator('.sentence').first().waitFor(), { width: 390, height: 800 });
  const tested = async (page: Page) => {
    await page.getByRole('button', { name: 'Test: mail' }).click();
    await page.getByText('Delivered to').waitFor();
  };
  await shoot('outputs', '/outputs', tested);
  const wrong = async (page: Page) => {
    const editor = page.getByRole('textbox', { name: 'The document of the site, as YAML' });
    await editor.getByText('causalis').first().waitFor();
    const text = await (
      await garden.service.client.raw('document', { params: { site: 'quillmere' }, headers: { accept: 'application/yaml' } })
    ).text();
    await editor.focus();
    await page.keyboard.press('Control+a');
    await page.keyboard.insertText(
      text.replace('fri: [18:00', 'fri: [28:00').replace('over: mail}', 'over: mial}').replace('threshold: 0.3%', 'treshold: 0.3%'),
    );
    await page.getByRole('button', { name: 'Check', exact: true }).click();
    await page.getByRole('button', { name: /^line/ }).first().click();
    await page.locator('.cm-lint-marker').first().waitFor();
  };
  await shoot('site', '/site', wrong);
  await shoot('people', '/site/people', (page) =>
    page
      .getByRole('button', { name: /^Revoke/ })
      .first()
      .waitFor(),
  );
  await shoot('revisions', '/site/revisions', (page) => page.getByText('in force').waitFor());
  await shoot('unfinished', '/site/unfinished', (page) => page.getByText('face-desk').first().waitFor());
  await shoot('audit', '/site/audit', (page) => page.getByText('document.applied').waitFor());
  await garden.closeMailbox();
  await garden.service.after(60_000);
  await shoot('ledger', '/ledger', (page) => page.locator('.events img').first().waitFor());
  const waiting = await garden.visit();
  await garden.service.chainWhen(waiting, ({ firings }) => firings[0]?.actions[2].deliveries[0]?.state === 'retrying');
  await shoot('chain-retrying', `/ledger/events/${waiting}`, (page) => page.locator('[data-state="retrying"]').first().waitFor());
  await shoot('deliveries', '/ledger/deliveries', (page) => page.locator('[data-delivery]').first().waitFor());
  await shoot('watch-dark', '/', walkedOn, { theme: 'dark' });
  await shoot('watch-phone', '/', watched(3), { width: 390, height: 800 });
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await page.goto(garden.service.url);
  await page.getByRole('heading', { name: 'Sign in' }).waitFor();
  await page.screenshot({ path: `${folder}sign-in.png` });
} finally {
  await browser.close();
  await garden.close();
}
