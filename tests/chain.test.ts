import assert from 'node:assert/strict';
import { after, before, test } from 'node:test';
import type { Chain } from '@causalis/contract';
import { clockText, deliveryText, durationText, eventText, guardText, heldText, skipText } from '@causalis/words';
import type { Browser } from 'playwright-core';
import { openBrowser, signIn } from './at-work/browser.js';
import { causalis } from './at-work/command-line.js';
import { Garden } from './at-work/garden.js';

let garden: Garden;
let browser: Browser;
let chain: Chain;
before(async () => {
  // No camera runs here: the message and the call go without a picture, so that the chain has a failed strand too.
  garden = await Garden.open({ document: (text) => text.replace('else: go', 'else: skip').replace('for: 5s, else', 'for: 1s, else') });
  garden.calls.nextStatus.push(503);
  const id = await garden.service.send('motion.began', 'cameras/gatehouse', { mark: 'drive' });
  await garden.service.chainWhen(id, ({ firings }) => firings.length > 0 && firings[0].actions[0].deliveries[0].receipts.length > 0);
  await garden.service.after(61_000);
  chain = await garden.service.chainWhen(id, ({ firings }) => {
    const [floods, picture, message] = firings[0].actions;
    return (
      floods.deliveries.some(({ back, receipts }) => back && receipts.length > 0) && picture.state === 'ended' && message.state === 'ended'
    );
  });
  browser = await openBrowser();
});
after(async () => {
  await browser?.close();
  await garden.close();
});

/** Every field of a chain that a person is shown, in their words. */
function shownFields(of: Chain): [name: string, text: string][] {
  const zone = of.site.timezone;
  const verdicts = of.verdicts.flatMap((verdict): [string, string][] => [
    [`title of ${verdict.rule}`, verdict.title],
    ...(verdict.verdict === 'held'
      ? [[`why ${verdict.rule} was held`, heldText(verdict, zone)] as [string, string]]
      : verdict.guards.map((guard): [string, string] => [`guard of ${verdict.rule}`, guardText(guard)])),
  ]);
  const deliveries = of.firings.flatMap(({ actions }) =>
    actions.flatMap((action) => [
      ['name of the action', action.name] as [string, string],
      ...(action.reason ? [[`why ${action.name} was skipped`, skipText(action.reason)] as [string, string]] : []),
      ...action.deliveries.flatMap((delivery): [string, string][] => [
        [`what ${action.name} does`, deliveryText(delivery)],
        [`state of ${action.name}`, delivery.state],
        ...delivery.receipts.map((receipt): [string, string] => [`receipt of ${action.name}`, `read back ${receipt.value}`]),
      ]),
    ]),
  );
  return [
    ['event', eventText(of.event, of.title)],
    ['time', clockText(of.event.time, zone, true)],
    ['number', `number ${of.event.number}, judged by revision ${of.event.revision}`],
    ['accepted', `+${durationText(Date.parse(of.event.accepted) - Date.parse(of.event.time))}`],
    ...of.firings.map((firing): [string, string] => ['fired at', `+${durationText(Date.parse(firing.at) - Date.parse(of.event.time))}`]),
    ...verdicts,
    ...deliveries,
  ];
}

const plain = (text: string) => text.replace(/read back:? /g, 'read back ').replace(/\s+/g, ' ');

test('the same chain stands in HTTP, command line and page, field by field', async () => {
  const json = JSON.parse((await causalis(garden.service.home, ['--json', 'event', 'chain', chain.event.id])).out) as Chain;
  assert.deepEqual(json, await garden.service.chain(chain.event.id), 'the command line’s JSON is the interface’s');

  const words = plain((await causalis(garden.service.home, ['event', 'chain', chain.event.id])).out);
  const { page } = await signIn(browser, garden.service, { path: `/ledger/events/${chain.event.id}` });
  await page.locator('[data-event]').waitFor();
  const shown = plain(await page.locator('article.chain').innerText());
  const fields = shownFields(chain);
  assert.ok(fields.length > 20, 'the chain is rich enough to compare');
  for (const [name, text] of fields) {
    assert.ok(words.includes(plain(text)), `the command line lacks ${name}: ${text}\n${words}`);
    assert.ok(shown.includes(plain(text)), `the page lacks ${name}: ${text}\n${shown}`);
  }

  for (const { actions } of chain.firings) {
    for (const action of actions) {
      assert.equal(await page.locator(`[data-action="${action.name}"]`).getAttribute('data-state'), action.state);
      for (const delivery of action.deliveries) {
        assert.equal(await page.locator(`[data-delivery="${delivery.id}"]`).getAttribute('data-state'), delivery.state);
        assert.ok(words.includes(delivery.id));
        const attempts = delivery.attempts.some(({ outcome }) => outcome !== 'delivered') ? delivery.attempts.length : 0;
        assert.equal(await page.locator(`[data-delivery="${delivery.id}"] [data-attempt]`).count(), attempts);
      }
    }
  }
});
