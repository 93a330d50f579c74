import assert from 'node:assert/strict';
import { after, before, test } from 'node:test';
import type { Chain, Delivery } from '@causalis/contract';
import { Garden } from './at-work/garden.js';

let garden: Garden;
// Without a camera there is no picture of the moment: the message goes without, as it would at a site.
const noPicture = (text: string) =>
  text
    .replace(/ +picture: { still: {} }\n/, '')
    .replace(', with: picture }', ' }')
    .replace(', needs: [{ action: picture, for: 5s, else: go }]', '');
before(async () => {
  garden = await Garden.open({
    document: (text) => noPicture(text).replace('cooldown: { for: 30s, per: camera }', 'cooldown: { for: 1s, per: camera }'),
  });
});
after(() => garden.close());

const deliveries = (chain: Chain): Delivery[] => chain.firings.flatMap(({ actions }) => actions.flatMap((action) => action.deliveries));
const of = (chain: Chain, action: string): Delivery => {
  const found = deliveries(chain).find((delivery) => delivery.action === action && !delivery.back);
  assert.ok(found, `no delivery of ${action}`);
  return found;
};
const arrived =
  (...actions: string[]) =>
  (chain: Chain) =>
    actions.every((action) => deliveries(chain).some((delivery) => delivery.action === action && delivery.state === 'delivered'));
const wentBack = (chain: Chain) => deliveries(chain).some(({ back, state }) => back && state === 'delivered');

test('lamp, call and mail arrive, each with its own key', async () => {
  const id = await garden.visit();
  const chain = await garden.service.chainWhen(id, arrived('floods', 'message', 'desk'));
  const mail = of(chain, 'message');
  assert.equal(garden.mailbox?.mails.at(-1)?.id, `<${mail.key}@quillmere.example>`);
  assert.match(garden.mailbox?.mails.at(-1)?.text ?? '', new RegExp(`/ledger/events/${id}`));
  assert.equal(garden.calls.calls.at(-1)?.key, of(chain, 'desk').key);
  assert.equal(garden.calls.calls.at(-1)?.signed, 'right');
  assert.equal(garden.lamp.changes.at(-1)?.key, of(chain, 'floods').key);
  const seen = await garden.service.chainWhen(id, (one) => of(one, 'floods').receipts.length > 0);
  assert.equal(of(seen, 'floods').receipts[0].value, 'on');
});

test('a mail server that is away delays neither lamp nor call, and the mail arrives after a restart', async () => {
  await garden.service.after(60_000);
  await garden.closeMailbox();
  const id = await garden.visit();
  const first = await garden.service.chainWhen(
    id,
    (chain) => arrived('floods', 'desk')(chain) && of(chain, 'message').state === 'retrying',
  );
  assert.equal(of(first, 'message').attempts[0].code, 'connection-refused');
  assert.equal(of(first, 'desk').attempts.length, 1);
  await garden.service.after(5_000);
  const second = await garden.service.chainWhen(id, (chain) => of(chain, 'message').attempts.length === 2);
  const key = of(second, 'message').key;

  await garden.service.down();
  await garden.service.up();
  await garden.service.after(20_000);
  const third = await garden.service.chainWhen(id, (chain) => of(chain, 'message').attempts.length === 3);
  assert.deepEqual(
    of(third, 'message').attempts.map(({ number, outcome }) => [number, outcome]),
    [
      [1, 'failed'],
      [2, 'failed'],
      [3, 'failed'],
    ],
  );

  await garden.openMailbox();
  await garden.service.after(60_000);
  const last = await garden.service.chainWhen(id, arrived('message'));
  assert.equal(of(last, 'message').attempts.length, 4);
  assert.equal(of(last, 'message').key, key);
  const mails = garden.mailbox?.mails.filter((mail) => mail.id.includes(key)) ?? [];
  assert.deepEqual(
    mails.map(({ attempt, times }) => [attempt, times]),
    [['4', 1]],
  );
});

test('a service killed between commit and sending sends after its start, with the same key', async () => {
  await garden.service.after(60_000);
  const before = garden.calls.calls.length;
  const { gone } = await garden.service.endAt('committed');
  await garden.visit().catch(() => undefined);
  await gone;
  assert.equal(garden.calls.calls.length, before, 'nothing was sent');
  await garden.service.up();
  const { items } = await garden.service.client.call('events', {
    params: { site: 'quillmere' },
    query: { limit: 1, kind: 'motion.began' },
  });
  const chain = await garden.service.chainWhen(items[0].id, arrived('floods', 'message', 'desk'));
  const desk = of(chain, 'desk');
  assert.deepEqual(
    desk.attempts.map(({ number, outcome }) => [number, outcome]),
    [
      [1, 'unknown'],
      [2, 'delivered'],
    ],
  );
  assert.deepEqual(
    garden.calls.calls.slice(before).map(({ key, times, attempt }) => [key, times, attempt]),
    [[desk.key, 1, '2']],
  );
});

test('a service killed after the answer repeats with the same key, so that it can be told', async () => {
  await garden.service.after(60_000);
  const before = garden.calls.calls.length;
  const { gone } = await garden.service.endAt('sent');
  const once = crypto.randomUUID();
  await garden.visit(once).catch(() => undefined);
  await gone;
  await garden.service.up();
  // The lamp of the visit before may have been answered first: then this one was not accepted yet, and is now.
  const id = await garden.visit(once);
  const chain = await garden.service.chainWhen(id, arrived('floods', 'message', 'desk'));
  const keys = new Set(garden.calls.calls.slice(before).map(({ key }) => key));
  assert.deepEqual([...keys], [of(chain, 'desk').key]);
});

test('two overlapping visits leave the lamp as it was before the first, also over a restart', async () => {
  for (const lit of [false, true]) {
    await garden.service.after(120_000);
    const before = garden.lamp.changes.length;
    garden.lamp.byHand(lit);
    const first = await garden.visit();
    await garden.service.chainWhen(first, (chain) => of(chain, 'floods').state === 'delivered');
    await garden.service.after(10_000);
    const second = await garden.visit();
    await garden.service.chainWhen(second, (chain) => chain.firings[0]?.actions[0].state === 'ended');
    await garden.service.after(11_000);
    assert.ok(garden.lamp.power, 'the first claim has ended, the second holds');

    await garden.service.kill();
    await garden.service.up();
    await garden.service.after(11_000);
    if (!lit) await garden.service.chainWhen(second, wentBack);
    assert.equal(garden.lamp.power, lit);
    assert.ok(
      garden.lamp.changes.slice(before).every(({ times }) => times === 1),
      'no command came twice',
    );
  }
});

test('a hand at the switch wins: nothing goes back later', async () => {
  await garden.service.after(120_000);
  garden.lamp.byHand(false);
  const id = await garden.visit();
  await garden.service.chainWhen(id, (chain) => of(chain, 'floods').receipts.length > 0);
  await garden.service.after(8_000);
  garden.lamp.byHand(false);
  garden.lamp.byHand(true);
  garden.lamp.byHand(false);
  await garden.service.when(
    async () => garden.lamp.changes.at(-1)?.by,
    (by) => by === 'hand',
    () => true,
  );
  const count = garden.lamp.changes.length;
  await garden.service.after(30_000);
  await garden.service.send('camera.lost', 'cameras/gatehouse');
  assert.equal(garden.lamp.changes.length, count);
});

test('a refusal for good is failed, and can be tried again by hand', async () => {
  await garden.service.after(120_000);
  garden.calls.nextStatus.push(400);
  const id = await garden.visit();
  const failed = await garden.service.chainWhen(id, (chain) => of(chain, 'desk').state === 'failed');
  assert.equal(of(failed, 'desk').attempts[0].code, 'status-refused');
  await garden.service.client.call('retry', { params: { site: 'quillmere', id: of(failed, 'desk').id } });
  const again = await garden.service.chainWhen(id, arrived('desk'));
  assert.deepEqual(
    of(again, 'desk').attempts.map(({ number }) => number),
    [1, 2],
  );
  await assert.rejects(garden.service.client.call('retry', { params: { site: 'quillmere', id: of(again, 'desk').id } }), {
    code: 'not-retryable',
  });
});

test('a command that was retried while the lamp was away never comes after the one that took its place', async () => {
  await garden.service.after(120_000);
  garden.lamp.byHand(false);
  await garden.lamp.stop();
  const id = await garden.visit();
  await garden.service.chainWhen(id, (chain) => deliveries(chain).some(({ action, state }) => action === 'floods' && state === 'retrying'));
  // The claim ends while nothing has arrived yet: to go back is the newest command.
  await garden.service.after(21_000);
  await garden.service.chainWhen(id, (chain) => deliveries(chain).some(({ back }) => back));
  await garden.openLamp();
  await garden.service.after(5_000);
  const chain = await garden.service.chainWhen(id, (one) =>
    deliveries(one).every(({ output, state }) => output !== 'drive-floods' || !['sending', 'retrying', 'waiting'].includes(state)),
  );
  const on = of(chain, 'floods');
  assert.deepEqual([on.state, on.attempts.at(-1)?.code], ['failed', 'superseded']);
  assert.equal(garden.lamp.power, false);
});
