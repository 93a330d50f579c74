import assert from 'node:assert/strict';
import { execFile } from 'node:child_process';
import { mkdir } from 'node:fs/promises';
import { after, before, test } from 'node:test';
import { promisify } from 'node:util';
import type { Camera } from '@causalis/contract';
import type { Browser } from 'playwright-core';
import { openBrowser, seriousFindings, signIn } from './at-work/browser.js';
import { Garden, passwords } from './at-work/garden.js';
import { site } from './at-work/service.js';

let garden: Garden;
let browser: Browser;
before(async () => {
  const more = `
  terrace: { title: Terrace, group: grounds, feeds: { main: { kind: file, file: nothing.mp4 } } }
`;
  garden = await Garden.open({
    camera: {},
    document: (text) =>
      text.replace('\ninputs:', `${more}\ninputs:`).replace('title: Gatehouse drive', 'title: Gatehouse drive\n    group: grounds'),
  });
  browser = await openBrowser();
});
after(async () => {
  await browser?.close();
  await garden.close();
});

const camera = async (key = 'gatehouse') =>
  (await garden.service.client.call('item', { params: { site, section: 'cameras', key } })) as unknown as Camera;
const open = (path = '/cameras/gatehouse', more: object = {}) => signIn(browser, garden.service, { path, ...more });

test('the walk test fits a phone, by night too, and says what counts', async () => {
  const { page } = await open('/cameras/gatehouse/walk', { width: 390, theme: 'dark' });
  await page.getByRole('button', { name: 'Begin, with sound' }).click();
  await page.getByRole('status').filter({ hasText: 'Counted: drive' }).waitFor({ timeout: 90_000 });
  assert.equal(await page.evaluate(() => document.documentElement.scrollWidth <= innerWidth), true);
  assert.deepEqual(await seriousFindings(page), []);
  await page.goto(`${garden.service.url}/cameras`);
  await page.getByRole('heading', { name: 'Gatehouse drive' }).waitFor();
  assert.equal(await page.evaluate(() => document.documentElement.scrollWidth <= innerWidth), true);
  assert.deepEqual(await seriousFindings(page), []);
  await page.close();
});

test('a zone is changed with the keyboard alone: chosen, a corner moved, put in, taken out, undone and saved', async () => {
  const { page, complaints, elsewhere } = await open();
  const before = (await camera()).marks.drive.zone as [number, number][];
  await page.getByRole('button', { name: /^drive/ }).focus();
  await page.keyboard.press('Enter');
  const first = page.getByRole('button', { name: /^Corner 1 of drive/ });
  await first.focus();
  await page.keyboard.press('ArrowRight');
  await page.keyboard.press('Shift+ArrowDown');
  await page.getByRole('button', { name: 'Corner 1 of drive: 9% right, 60% down' }).waitFor();
  await page.keyboard.press('Insert');
  await page.getByRole('button', { name: /^Corner 5 of drive/ }).waitFor();
  await page.keyboard.press('Delete');
  await page.getByRole('button', { name: /^Corner 5 of drive/ }).waitFor({ state: 'detached' });
  await page.getByRole('button', { name: 'Undo' }).focus();
  await page.keyboard.press('Enter');
  await page.getByRole('button', { name: /^Corner 5 of drive/ }).waitFor();
  await page.keyboard.press('Enter');
  assert.deepEqual((await camera()).marks.drive.zone, before, 'nothing is saved yet');
  await page.getByRole('button', { name: 'Save', exact: true }).focus();
  await page.keyboard.press('Enter');
  await page.getByText(/Saved as revision/).waitFor();
  assert.deepEqual(((await camera()).marks.drive.zone as [number, number][])[0], [0.09, 0.6]);
  assert.deepEqual(await seriousFindings(page), []);
  assert.deepEqual([complaints, elsewhere], [[], []]);
  await page.close();
});

test('corners are dragged, cells painted and rubbed out, and a line turned, by hand', async () => {
  const { page } = await open();
  await page.getByRole('button', { name: /^drive/ }).click();
  const corner = page.getByRole('button', { name: /^Corner 2 of drive/ });
  const box = await corner.boundingBox();
  if (!box) throw new Error('the corner is not there');
  await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
  await page.mouse.down();
  await page.mouse.move(box.x - 60, box.y + 20, { steps: 4 });
  await page.mouse.up();
  assert.notEqual(await corner.getAttribute('aria-label'), 'Corner 2 of drive: 92% right, 50% down');
  await page.getByRole('button', { name: 'Paint in cells' }).click();
  const painted = page.locator('rect.painted');
  const whole = await painted.count();
  assert.ok(whole > 100, `${whole} cells`);
  await page.getByRole('button', { name: 'Nothing' }).click();
  assert.equal(await painted.count(), 0);
  const canvas = page.getByRole('application');
  const place = await canvas.boundingBox();
  if (!place) throw new Error('there is nothing to paint on');
  await page.mouse.move(place.x + place.width * 0.2, place.y + place.height * 0.8);
  await page.mouse.down();
  await page.mouse.move(place.x + place.width * 0.6, place.y + place.height * 0.8, { steps: 20 });
  await page.mouse.up();
  assert.ok((await painted.count()) >= 10);
  await canvas.focus();
  await page.keyboard.press('Space');
  await page.getByRole('button', { name: '+ Add a line' }).click();
  await page.getByRole('button', { name: 'Turn the line around' }).click();
  await page.getByLabel('Count what goes in and out').check();
  await page.getByRole('button', { name: 'Save', exact: true }).click();
  await page.getByText(/Saved as revision/).waitFor();
  const { marks } = await camera();
  assert.deepEqual([marks.line.in, marks.line.counter !== undefined, 'cells' in (marks.drive.zone ?? {})], ['right', true, true]);
  await page.close();
});

test('values show where they come from, a wrong one is refused in place, and leaving with changes asks', async () => {
  const { page } = await open();
  const smallest = page.locator('[data-value="smallest"]');
  await smallest.fill('lots');
  await smallest.press('Tab');
  assert.equal(await smallest.getAttribute('aria-invalid'), 'true');
  await page.getByRole('button', { name: 'Save', exact: true }).click();
  await page.getByRole('alert').filter({ hasText: 'no share' }).waitFor();
  await smallest.fill('0.4%');
  await smallest.press('Tab');
  await page.locator('[data-value="dark-difference"]').fill('22');
  await page.locator('[data-value="dark-difference"]').press('Tab');
  let asked = '';
  page.once('dialog', (dialog) => {
    asked = dialog.message();
    void dialog.dismiss();
  });
  await page.getByRole('link', { name: 'Rules' }).click();
  assert.match(asked, /not saved/);
  await page.getByRole('button', { name: 'Save', exact: true }).click();
  await page.getByText(/Saved as revision/).waitFor();
  const { watching } = await camera();
  assert.deepEqual([watching.smallest, watching.dark], ['0.4%', { difference: 22 }]);
  await page.close();
});

test('what a group shares is changed for all of it, after it was shown what changes where', async () => {
  const { page } = await open();
  await page.getByText(/Values of the group grounds/).click();
  // The camera's own change is a revision of its own; the group's is made from it.
  await page.locator('[data-value="pause"]').fill('1s');
  await page.locator('[data-value="pause"]').press('Tab');
  await page.getByRole('button', { name: 'Save', exact: true }).click();
  await page.getByText(/Saved as revision/).waitFor();
  await page.locator('[data-value="group-smallest"]').fill('0.2%');
  await page.locator('[data-value="group-smallest"]').press('Tab');
  await page.getByText('gatehouse, smallest: keeps its own').waitFor();
  const lines = await page.locator('.group li').allTextContents();
  assert.ok(lines.includes('terrace, smallest: 0.05% becomes 0.2%'), lines.join('; '));
  await page.getByRole('button', { name: 'Save for 2 cameras' }).click();
  await page
    .locator('.group')
    .getByText(/Saved as revision/)
    .waitFor();
  const { watching } = await garden.service.client.call('camera', { params: { site, key: 'terrace' } });
  assert.deepEqual(
    watching.find(({ name }) => name === 'smallest'),
    { name: 'smallest', value: '0.2%', from: 'group', group: 'grounds' },
  );
  assert.deepEqual(await seriousFindings(page), []);
  await page.close();
});

test('a counter says on the picture what it counts, and a crossing on trial which number rises', async () => {
  const { page } = await open();
  await page.getByRole('button', { name: '+ Add a line' }).click();
  await page.getByLabel('Count what goes in and out').check();
  await page.getByLabel('Only', { exact: true }).fill('person');
  await page.getByLabel('Begins anew at').fill('18:00');
  await page.getByLabel('Tells at inside').fill('40');
  await page.getByLabel('Tells at inside').press('Tab');
  await page.getByRole('button', { name: 'Cross it along the arrow' }).click();
  await page.getByText('in 0 → 1, inside 0 → 1').waitFor();
  await page.getByRole('button', { name: 'Cross it the other way' }).click();
  await page.getByText('out 0 → 1, inside 0 → 0').waitFor();
  await page.getByRole('button', { name: 'Save', exact: true }).click();
  await page.getByText(/Saved as revision/).waitFor();
  // The line of before counts too: this one's numbers are the second.
  await page.getByText('0 in, 0 out, 0 inside').nth(1).waitFor();
  const counters = Object.values((await camera()).marks).flatMap(({ counter }) => counter ?? []);
  assert.deepEqual(counters.at(-1), { label: ['person'], reset: '18:00', thresholds: { inside: 40 } });
  await page.close();
});

test('from an event that was not wanted one comes to the setting, and sees what else it would drop', async () => {
  const began = await garden.service.when(
    async () =>
      (await garden.service.client.call('events', { params: { site }, query: { limit: 20, kind: 'motion.began', source: 'gatehouse' } }))
        .items[0],
    (event) => event !== undefined,
    ({ kind }) => kind === 'event',
  );
  const { page } = await open(`/ledger/events/${began?.id}`);
  await page.getByRole('link', { name: 'Not wanted, because…' }).click();
  await page.locator('[data-because="smallest"]').click();
  await page.getByText('Not saved yet').waitFor();
  await page
    .getByText(/stay, .* come, .* go/)
    .first()
    .waitFor();
  await page.close();
});

test('a picture of another shape is shown as it is, and what is drawn on it stands where it belongs', async () => {
  const yard = `${garden.service.home}/recordings`;
  await mkdir(yard, { recursive: true });
  // Upright, as over a narrow gate.
  const drawn = ['-f', 'lavfi', '-i', 'testsrc=size=480x640:rate=5', '-t', '4', '-c:v', 'libx264', '-pix_fmt', 'yuv420p'];
  await promisify(execFile)('ffmpeg', ['-v', 'error', ...drawn, `${yard}/upright.mp4`]);
  const { revision } = (await garden.service.client.call('status', { params: { site } })).site;
  const zone = [
    [0.5, 0.5],
    [1, 0.5],
    [1, 1],
  ];
  await garden.service.client.call('putItem', {
    params: { site, section: 'cameras', key: 'gate' },
    headers: { 'if-match': `"${revision}"` },
    body: { title: 'Gate', feeds: { main: { kind: 'file', file: 'upright.mp4' } }, marks: { path: { zone } } },
  });
  const { page, complaints } = await open('/cameras/gate');
  await page.getByAltText('Live picture of Gate').waitFor({ timeout: 60_000 });
  await page.waitForFunction(() =>
    document
      .querySelector('.picture-frame svg')
      ?.getAttribute('viewBox')
      ?.endsWith(String((1600 * 640) / 480)),
  );
  const shape = await page.evaluate(() => {
    const box = (name: string) => document.querySelector(`.picture-frame ${name}`)?.getBoundingClientRect() ?? new DOMRect();
    const [frame, mark] = [box('img'), box('.mark polygon')];
    return { shape: frame.height / frame.width, left: (mark.left - frame.left) / frame.width, top: (mark.top - frame.top) / frame.height };
  });
  assert.ok(Math.abs(shape.shape - 640 / 480) < 0.01, JSON.stringify(shape));
  assert.ok(Math.abs(shape.left - 0.5) < 0.01 && Math.abs(shape.top - 0.5) < 0.01, JSON.stringify(shape));
  assert.deepEqual(complaints, []);
  await page.close();
});

test('a camera is added after a look at what answers, and is live', async () => {
  const { page } = await open('/cameras/new');
  await page.getByLabel('How pictures arrive').selectOption('still');
  await page.locator('[name="address"]').fill(`http://127.0.0.1:${garden.camera?.port}/small.jpg`);
  await page.locator('[name="user"]').fill('causalis');
  await page.locator('[name="password"]').fill('wrong');
  await page.getByRole('button', { name: 'Look what answers' }).click();
  await page.getByText('user or password refused').waitFor();
  await page.locator('[name="password"]').fill(passwords.gatehouse);
  await page.getByRole('button', { name: 'Look what answers' }).click();
  await page.getByText(/It answers: jpeg, 640 × 360/).waitFor();
  await page.locator('[name="key"]').fill('second');
  await page.locator('[name="title"]').fill('Second look');
  await page.getByRole('button', { name: 'Add it' }).click();
  await page.getByRole('heading', { name: 'Second look' }).waitFor();
  await page.getByText(/^live/).waitFor();
  assert.deepEqual(await seriousFindings(page), []);
  await page.close();
});
