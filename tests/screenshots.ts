import { fileURLToPath } from 'node:url';
import { Recogniser, SimulatedCamera, upload } from '@causalis/standins';
import type { Page } from 'playwright-core';
import { openBrowser, signIn } from './at-work/browser.js';
import { Garden, passwords } from './at-work/garden.js';

// The pictures of the manual: the demonstration site at work, with a walker on the drive.
const folder = fileURLToPath(new URL('../../docs/screenshots/', import.meta.url));
const who = { user: 'causalis', password: passwords.gatehouse };
const house = await SimulatedCamera.start({ port: 0, ...who, place: ['palm-house', 'lily-pond', 'seed-vault'], hour: () => 11 });
const recogniser = await Recogniser.start({ port: 0 });
const feed = (place: string) =>
  `feeds: { main: { kind: multipart, url: "http://127.0.0.1:${house.port}/${place}/small", user: causalis, password: { secret: gatehouse } } }`;
const more = `
  palm-house:
    title: Palm house
    recogniser: bench
    ${feed('palm-house')}
    marks:
      hall: { zone: [[0, 0.62], [1, 0.62], [1, 1], [0, 1]] }
      door: { line: [[0.72, 0.66], [0.28, 0.66]], in: left, counter: { label: person, thresholds: { inside: 12 } } }
  lily-pond:
    title: Lily pond
    ${feed('lily-pond')}
    marks: { plank: { zone: [[0.63, 0.14], [0.94, 0.14], [0.94, 0.46], [0.63, 0.46]] } }
  seed-vault:
    title: Seed vault
    ${feed('seed-vault')}
    marks: { corridor: { zone: [[0.1, 1], [0.36, 0.3], [0.64, 0.3], [0.9, 1]] } }
`;
const garden = await Garden.open({
  camera: { hour: 11 },
  document: (text) =>
    text
      .replace('http://127.0.0.1:7301', `http://127.0.0.1:${recogniser.port}`)
      .replace('\ninputs:', `${more}\ninputs:`)
      .replace('\noutputs:', '\naccounts:\n  pond-uploads: { kind: upload, camera: lily-pond, folder: /pond }\n\noutputs:'),
});
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

  await shoot('cameras', '/cameras', (page) =>
    page
      .getByText(/1 in|1 out|[1-9] inside/)
      .first()
      .waitFor({ timeout: 90_000 }),
  );
  await shoot(
    'set-camera',
    '/cameras/palm-house',
    async (page) => {
      await page.getByRole('button', { name: /^hall/ }).click();
      // The meters have something to show.
      await page.waitForFunction(() => (document.querySelector('.meter polyline')?.getAttribute('points') ?? '').split(' ').length > 60);
      await page.locator('.named.counted').first().waitFor({ timeout: 90_000 });
    },
    { height: 1240 },
  );
  await shoot(
    'walk',
    '/cameras/palm-house/walk',
    (page) =>
      page
        .getByText(/^Counted|Counted: hall/)
        .first()
        .waitFor({ timeout: 90_000 }),
    { width: 390 },
  );

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
  const params = { site: 'quillmere' };
  await garden.service.send('input.changed', 'inputs/tank-float', { reading: 'ok' });
  await garden.service.send('input.changed', 'inputs/frost', { number: 3.5 });
  const {
    host,
    port = 0,
    user,
    password,
  } = await garden.service.client.call('issueAccount', { params: { ...params, key: 'pond-uploads' } });
  const typed = { host, port, user, password };
  for (const wrong of [
    { ...typed, password: 'typed wrong' },
    { ...typed, folder: '/elsewhere' },
  ])
    await upload(wrong, 'heron.jpg', Buffer.from([0xff, 0xd8, 0xff, 0xd9])).catch(() => undefined);
  const { address } = await garden.service.client.call('issueHook', { params: { ...params, key: 'face-desk' } });
  await fetch(address, { method: 'POST', body: '{ "person": { "name": "Ada Marsh", "badge": 12 }, "score": 0.83, "door": "east" }' });
  await shoot('sources', '/sources', (page) => page.getByText('Ada Marsh').first().waitFor(), { height: 1160 });
  await garden.closeMailbox();
  await garden.service.after(60_000);
  await shoot('ledger', '/ledger', (page) => page.locator('.events img').first().waitFor());
  const waiting = await garden.visit();
  await garden.service.chainWhen(waiting, ({ firings }) => firings[0]?.actions[2].deliveries[0]?.state === 'retrying');
  await shoot('chain-retrying', `/ledger/events/${waiting}`, (page) => page.locator('[data-state="retrying"]').first().waitFor());
  await shoot('deliveries', '/ledger/deliveries', (page) => page.locator('[data-delivery]').first().waitFor());
  await shoot('watch-dark', '/', walkedOn, { theme: 'dark' });
  await shoot('watch-phone', '/', watched(3), { width: 390, height: 800 });
} finally {
  await browser.close();
  await garden.close();
  await Promise.all([house.stop(), recogniser.stop()]);
}
