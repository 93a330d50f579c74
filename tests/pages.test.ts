import assert from 'node:assert/strict';
import { readFile } from 'node:fs/promises';
import { after, before, test } from 'node:test';
import type { Browser, Page } from 'playwright-core';
import { openBrowser, seriousFindings, signIn } from './at-work/browser.js';
import { Garden } from './at-work/garden.js';
import { site } from './at-work/service.js';

let garden: Garden;
let browser: Browser;
let visit: string;
before(async () => {
  // Without a camera there is no picture: the rule goes without.
  garden = await Garden.open({
    document: (text) =>
      text
        .replace('\noutputs:', '\naccounts:\n  drive-uploads: { kind: upload, camera: gatehouse, folder: /drive }\n\noutputs:')
        .replace(/ +picture: { still: {} }\n/, '')
        .replace(', with: picture }', ' }')
        .replace(', needs: [{ action: picture, for: 5s, else: go }]', ''),
  });
  visit = await garden.visit();
  await garden.service.chainWhen(visit, ({ firings }) => firings[0]?.actions.every(({ state }) => state === 'ended') ?? false);
  browser = await openBrowser();
});
after(async () => {
  await browser?.close();
  await garden.close();
});

/** Every page, and what is there when it has come. */
const pages: readonly (readonly [path: () => string, shows: string])[] = [
  [() => '/', 'Newest events'],
  [() => '/cameras/new', 'Search the network'],
  [() => '/sources', 'face-desk'],
  [() => '/outputs', 'drive-floods'],
  [() => '/rules', 'Somebody on the drive when closed'],
  [() => '/ledger', 'Motion on the drive of Gatehouse drive'],
  [() => '/ledger/deliveries', 'keeper@quillmere.example over mail'],
  [() => `/ledger/events/${visit}`, 'Seen to count'],
  [() => '/site', 'causalis'],
  [() => '/site/revisions', 'in force'],
  [() => '/site/people', 'Keeper on duty'],
  [() => '/site/unfinished', 'face-desk'],
  [() => '/site/audit', 'document.applied'],
];
const open = async (page: Page, path: string, shows: string): Promise<void> => {
  await page.goto(`${garden.service.url}${path}`);
  await page.getByText(shows).first().waitFor();
};

test('every page is sound for axe, in both themes and on a phone, and never wider than the screen', async () => {
  for (const [theme, width] of [
    ['light', 1280],
    ['dark', 1280],
    ['light', 390],
    ['dark', 390],
  ] as const) {
    const { page, elsewhere, complaints } = await signIn(browser, garden.service, { theme, width });
    for (const [path, shows] of pages) {
      await open(page, path(), shows);
      assert.deepEqual(await seriousFindings(page), [], `${path()} ${theme} ${width}`);
      assert.ok(await page.evaluate(() => document.documentElement.scrollWidth <= window.innerWidth), `${path()} is wider than ${width}`);
    }
    assert.deepEqual(complaints, []);
    assert.deepEqual(elsewhere, []);
    await page.close();
  }
});

test('the keyboard alone reaches everything on every page, and always shows where it is', async () => {
  const { page } = await signIn(browser, garden.service);
  for (const [path, shows] of pages) {
    await open(page, path(), shows);
    const wanted = await page.evaluate(() => {
      const all = document.querySelectorAll('a[href], button:not(:disabled), input, select, textarea, summary, [contenteditable="true"]');
      const shown = [...all].filter((one) => (one as HTMLElement).offsetParent !== null || one.classList.contains('skip'));
      for (const [i, one] of shown.entries()) one.setAttribute('data-stop', String(i));
      return shown.length;
    });
    const reached = new Set<string>();
    const unseen: string[] = [];
    for (let presses = 0; presses < wanted + 10 && reached.size < wanted; presses++) {
      await page.keyboard.press('Tab');
      const here = await page.evaluate(() => {
        const active = document.activeElement as HTMLElement | null;
        if (!active || active === document.body) return undefined;
        // What is inside of something else shows it there: an editor, a choice.
        const marks = [active, active.closest('.cm-editor'), active.closest('.n-base-selection')].flatMap((one) =>
          one ? [getComputedStyle(one)] : [],
        );
        const seen =
          marks.some(({ outlineStyle, boxShadow }) => outlineStyle !== 'none' || boxShadow !== 'none') ||
          active.closest('.n-base-selection') !== null;
        return { stop: active.getAttribute('data-stop'), seen, what: active.outerHTML.slice(0, 120) };
      });
      if (here?.stop) reached.add(here.stop);
      if (here && !here.seen) unseen.push(here.what);
    }
    assert.deepEqual(unseen, [], path());
    assert.equal(reached.size, wanted, `${path()}: ${reached.size} of ${wanted} reached`);
  }
  await page.close();
});

test('the whole way by keys: sign in, skip to the page, try a rule, switch it off and on', async () => {
  const page = await browser.newPage();
  const { password } = JSON.parse(await readFile(`${garden.service.home}/first-sign-in.json`, 'utf8')) as { password: string };
  await page.goto(`${garden.service.url}/rules`);
  // The name stands there already.
  await page.locator('input[name=name]').focus();
  await page.keyboard.press('Tab');
  await page.keyboard.type(password);
  await page.keyboard.press('Enter');
  const rule = page.locator('[data-rule="night-visitor"]');
  await rule.waitFor();
  await rule.getByRole('button', { name: 'What would it do?' }).focus();
  await page.keyboard.press('Enter');
  await rule.getByText('It would fire.').waitFor();
  await rule.getByText('drive-floods on', { exact: true }).waitFor();
  await rule.getByRole('switch').focus();
  await page.keyboard.press('Space');
  await rule.getByRole('switch', { checked: false }).waitFor();
  await page.keyboard.press('Space');
  await rule.getByRole('switch', { checked: true }).waitFor();
  await page.close();
});

test('a rule shows what held it, and a trial that is held goes on without its guards', async () => {
  const { client } = garden.service;
  await client.call('setMode', { params: { site }, body: { mode: 'open' } });
  await garden.visit();
  const { page } = await signIn(browser, garden.service, { path: '/rules' });
  const rule = page.locator('[data-rule="night-visitor"]');
  await rule.getByText('fired once, held once: 1 in another mode').first().waitFor();
  await rule.getByRole('button', { name: 'Fire as a test' }).click();
  await rule.getByText('Held: mode is open, not closed').waitFor();
  await rule.getByRole('button', { name: 'Fire without its guards' }).click();
  await rule.getByText('Fired as a test.').waitFor();
  await rule.getByRole('link', { name: 'See the chain' }).click();
  await page.getByRole('heading', { name: /Trial of “Somebody on the drive when closed” by integrator/ }).waitFor();
  await page.locator('[data-action="message"] [data-state="delivered"]').waitFor();
  await client.call('setMode', { params: { site }, body: { mode: 'closed' } });
  await page.close();
});

test('an output shows each step of its test, the mend at the failing one, and its switch', async () => {
  const { page } = await signIn(browser, garden.service, { path: '/outputs' });
  const mail = page.locator('[data-output="mail"]');
  await mail.getByRole('button', { name: 'Test: mail' }).click();
  await mail.getByText('Delivered to keeper@quillmere.example').waitFor();
  assert.deepEqual(await mail.locator('th').allTextContents(), ['connect', 'greeting', 'sign in', 'acceptance']);
  await garden.closeMailbox();
  await mail.getByRole('button', { name: 'Test: mail' }).click();
  await mail.getByText('Not delivered to keeper@quillmere.example').waitFor();
  await mail.getByText('Nothing listens there: see whether it runs, and the port.').first().waitFor();
  await garden.openMailbox();
  const lamp = page.locator('[data-output="drive-floods"]');
  await lamp.getByRole('button', { name: 'drive-floods on' }).click();
  await lamp.locator('.shows', { hasText: 'on' }).waitFor();
  await lamp.getByRole('button', { name: 'drive-floods off' }).click();
  await lamp.locator('.shows', { hasText: 'off' }).waitFor();
  await page.close();
});

test('deliveries are filtered, cancelled and sent again, each after a second thought', async () => {
  await garden.closeMailbox();
  await garden.service.after(60_000);
  const id = await garden.visit();
  await garden.service.chainWhen(id, ({ firings }) =>
    firings.some(({ actions }) => actions.some(({ deliveries }) => deliveries.some(({ state }) => state === 'retrying'))),
  );
  const { page } = await signIn(browser, garden.service, { path: '/ledger/deliveries' });
  await page.getByLabel('State').selectOption('retrying');
  const row = page.locator('[data-state="retrying"]');
  await row.first().waitFor();
  await page.waitForFunction(() => document.querySelectorAll('[data-delivery]').length === 1);
  await row.getByRole('button', { name: /^Cancel/ }).click();
  await row.getByRole('button', { name: 'Really: Cancel' }).click();
  await page.getByText('There are no such deliveries.').waitFor();
  await garden.openMailbox();
  await page.getByLabel('State').selectOption('cancelled');
  const cancelled = page.locator('[data-state="cancelled"]').first();
  await cancelled.getByRole('button', { name: /^Send again/ }).click();
  await cancelled.getByRole('button', { name: 'Really: Send again' }).click();
  await page.getByLabel('State').selectOption('');
  const again = page.locator('[data-state="delivered"]', { hasText: 'sent again' });
  await again.waitFor();
  await again.getByText('1 attempt').click();
  await again.getByText(/1\. accepted/).waitFor();
  await page.close();
});

test('the document is edited as text: findings in place, preview, apply, and a warning before it is lost', async () => {
  const { page } = await signIn(browser, garden.service, { path: '/site' });
  const editor = page.getByRole('textbox', { name: 'The document of the site, as YAML' });
  await editor.getByText('causalis').first().waitFor();
  const write = async (from: string, to: string) => {
    const text = await (await garden.service.client.raw('document', { params: { site }, headers: { accept: 'application/yaml' } })).text();
    await editor.focus();
    await page.keyboard.press('Control+a');
    await page.keyboard.insertText(text.replace(from, to));
  };
  await write('threshold: 0.3%', 'threshold: lots');
  await page.getByRole('button', { name: 'Apply', exact: true }).click();
  await page.getByText('lots is no share').first().waitFor();
  await page.getByRole('button', { name: /^line \d+$/ }).click();
  assert.match(await page.evaluate(() => document.querySelector('.cm-activeLine, .cm-lintRange')?.textContent ?? ''), /threshold|lots/);

  await write('Somebody on the drive when closed', 'Somebody on the drive');
  await page.getByRole('button', { name: 'Preview', exact: true }).click();
  await page.getByText('rules/night-visitor: title').waitFor();
  let asked = '';
  page.once('dialog', (dialog) => {
    asked = dialog.message();
    void dialog.dismiss();
  });
  await page.getByRole('link', { name: 'Rules', exact: true }).click();
  assert.match(asked, /changes that are not applied/);
  await page.getByRole('button', { name: 'Apply', exact: true }).click();
  await page.getByText(/Revision \d+ is in force/).waitFor();

  await page.getByRole('link', { name: 'Revisions' }).click();
  await page.getByRole('button', { name: 'Restore 1' }).click();
  await page.getByRole('button', { name: 'Really: Restore' }).click();
  await page
    .getByRole('row', { name: /rules\/night-visitor/ })
    .nth(1)
    .waitFor();
  await page.getByRole('button', { name: 'See it: 1', exact: true }).click();
  assert.match(await page.getByRole('textbox', { name: 'Revision 1' }).inputValue(), /Somebody on the drive when closed/);
  await page.close();
});

test('somebody else’s revision is said to whoever is writing, and their text is kept', async () => {
  const { page } = await signIn(browser, garden.service, { path: '/site' });
  const editor = page.getByRole('textbox', { name: 'The document of the site, as YAML' });
  await editor.getByText('causalis').first().waitFor();
  await editor.focus();
  await page.keyboard.insertText('# mine\n');
  const { client } = garden.service;
  const { revision } = (await client.call('status', { params: { site } })).site;
  const item = await client.call('item', { params: { site, section: 'members', key: 'keeper' } });
  const params = { site, section: 'members', key: 'keeper' };
  await client.call('putItem', { params, body: { ...item, note: 'on duty' }, headers: { 'if-match': `"${revision}"` } });
  await page.getByText(`Somebody else has applied revision ${revision + 1} meanwhile`).waitFor();
  await editor.getByText('# mine').waitFor();
  await page.getByRole('button', { name: 'Apply', exact: true }).click();
  await page.getByText('Made from an outdated revision').waitFor();
  await page.getByRole('button', { name: 'Take back my changes' }).click();
  await page.getByText('on duty').first().waitFor();
  await page.close();
});

test('users and tokens are made, shown once, and taken away; the last integrator stays', async () => {
  const { page } = await signIn(browser, garden.service, { path: '/site/people' });
  await page.getByRole('button', { name: 'Remove integrator' }).click();
  await page.getByRole('button', { name: 'Really: Remove' }).click();
  await page.getByText('The last integrator.').waitFor();
  await page.getByLabel('Name').first().fill('Keeper at the desk');
  await page.locator('form select').selectOption('operator');
  await page.getByRole('button', { name: 'Add' }).click();
  await page.getByText(/Keeper at the desk: [a-z0-9-]{19}/).waitFor();
  const password = /: ([a-z0-9-]{19})/.exec(await page.locator('.told').first().innerText())?.[1] ?? '';
  const signedIn = await garden.service.client.call('signIn', { body: { name: 'Keeper at the desk', password } });
  assert.deepEqual(signedIn.permissions, ['view', 'operate']);
  await page.getByRole('button', { name: 'Remove Keeper at the desk' }).click();
  await page.getByRole('button', { name: 'Really: Remove' }).click();
  await page.getByText('Keeper at the desk', { exact: true }).waitFor({ state: 'detached' });
  await page.getByLabel('Name').last().fill('wallboard');
  await page.getByRole('button', { name: 'Issue' }).click();
  await page.getByRole('button', { name: 'Revoke wallboard' }).waitFor();
  await page.getByRole('button', { name: 'Revoke wallboard' }).click();
  await page.getByRole('button', { name: 'Really: Revoke' }).click();
  await page.getByRole('button', { name: 'Revoke wallboard' }).waitFor({ state: 'detached' });
  await page.getByRole('link', { name: 'Audit' }).click();
  await page.getByText('token.revoked').waitFor();
  await page.close();
});

test('an urgent firing sounds where somebody wanted it to, and nowhere else', async () => {
  const { page } = await signIn(browser, garden.service);
  await page.evaluate(() => {
    const counted = globalThis as unknown as { tones: number };
    counted.tones = 0;
    const start = OscillatorNode.prototype.start;
    OscillatorNode.prototype.start = function (...args) {
      counted.tones++;
      start.apply(this, args);
    };
  });
  const tones = () => page.evaluate(() => (globalThis as unknown as { tones: number }).tones);
  const urgent = async () => {
    await garden.service.after(60_000);
    await garden.visit();
  };
  await urgent();
  await page.getByRole('alert').filter({ hasText: 'Somebody on the drive' }).waitFor();
  assert.equal(await tones(), 0);
  await page.getByRole('button', { name: 'Put away' }).click();
  await page.getByRole('button', { name: 'Sound off' }).click();
  assert.equal(await tones(), 2, 'it is heard once when it is switched on');
  await urgent();
  await page.getByRole('alert').filter({ hasText: 'Somebody on the drive' }).waitFor();
  assert.equal(await tones(), 4);
  await page.close();
});

test('a chain prints without the rail, on paper, whole', async () => {
  const { page } = await signIn(browser, garden.service, { path: `/ledger/events/${visit}` });
  await page.locator('[data-action="message"] [data-state="delivered"]').waitFor();
  await page.emulateMedia({ media: 'print' });
  assert.equal(await page.getByRole('navigation', { name: 'Places' }).isVisible(), false);
  assert.equal(await page.getByRole('button', { name: 'Print' }).isVisible(), false);
  const paper = await page.pdf({ format: 'A4' });
  assert.equal(paper.subarray(0, 5).toString(), '%PDF-');
  await page.close();
});
