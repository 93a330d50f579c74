import assert from 'node:assert/strict';
import { after, before, test } from 'node:test';
import { ProblemError } from '@causalis/client';
import type { Chain, Delivery } from '@causalis/contract';
import { Garden } from './at-work/garden.js';
import { site } from './at-work/service.js';

let garden: Garden;
before(async () => {
  // Without a camera there is no picture: the rule goes without.
  garden = await Garden.open({
    document: (text) =>
      text
        .replace(/ +picture: { still: {} }\n/, '')
        .replace(', with: picture }', ' }')
        .replace(', needs: [{ action: picture, for: 5s, else: go }]', ''),
  });
});
after(() => garden.close());

const codeOf = async (call: Promise<unknown>): Promise<string> => {
  try {
    await call;
  } catch (error) {
    if (error instanceof ProblemError) return error.code;
    throw error;
  }
  return 'done';
};
const deliveries = (chain: Chain): Delivery[] => chain.firings.flatMap(({ actions }) => actions.flatMap((action) => action.deliveries));
const of = (chain: Chain, action: string) => deliveries(chain).filter((one) => one.action === action && !one.back);

test('a dry trial says what a rule would do, and nothing is sent or written', async () => {
  const { client } = garden.service;
  const events = async () => (await client.call('events', { params: { site } })).items.length;
  const [before, mails] = [await events(), garden.mailbox?.mails.length];
  const report = await client.call('tryRule', { params: { site, key: 'night-visitor' }, body: { dry: true } });
  assert.equal(report.verdict.verdict, 'fired');
  assert.deepEqual(
    report.actions.map(({ name, does }) => [name, does.length]),
    [
      ['floods', 1],
      ['message', 1],
      ['desk', 1],
    ],
  );
  assert.match(report.actions[1].does[0], /keeper@quillmere.example over mail: Motion on the drive of Gatehouse drive/);
  assert.deepEqual([await events(), garden.mailbox?.mails.length], [before, mails]);
});

test('a rule that is fired by hand arrives everywhere as a test, and the lamp goes back', async () => {
  const { client } = garden.service;
  const { event, verdict } = await client.call('tryRule', { params: { site, key: 'night-visitor' }, body: {} });
  assert.ok(event && verdict.verdict === 'fired');
  const chain = await garden.service.chainWhen(event, (one) =>
    ['floods', 'message', 'desk'].every((name) => of(one, name)[0]?.state === 'delivered'),
  );
  assert.equal(chain.event.kind, 'rule.tried');
  assert.ok(deliveries(chain).every(({ test: marked }) => marked));
  assert.match(garden.mailbox?.mails.at(-1)?.subject ?? '', /^Test: /);
  await garden.service.after(3_100);
  await garden.service.chainWhen(event, (one) => deliveries(one).some(({ back, state }) => back && state === 'delivered'));
  const { items } = await client.call('rules', { params: { site } });
  const counted = items.find(({ key }) => key === 'night-visitor');
  assert.deepEqual([counted?.firedLastDay, counted?.lastDay, counted?.lastFired], [0, {}, undefined]);
});

test('a trial is held by its guards as ever, unless it is told to go regardless', async () => {
  const { client } = garden.service;
  await client.call('setMode', { params: { site }, body: { mode: 'open' } });
  const held = await client.call('tryRule', { params: { site, key: 'night-visitor' }, body: {} });
  assert.deepEqual([held.verdict.verdict, held.verdict.guards[0].saw], ['held', 'open']);
  const dry = await client.call('tryRule', { params: { site, key: 'night-visitor' }, body: { dry: true, regardless: true } });
  assert.equal(dry.verdict.verdict, 'fired');
  await client.call('setMode', { params: { site }, body: { mode: 'closed' } });
  assert.equal(await codeOf(client.call('tryRule', { params: { site, key: 'no-such-rule' }, body: {} })), 'unknown-item');
});

test('a test of an output goes the whole way and shows each step', async () => {
  const { client } = garden.service;
  const mail = await client.call('testOutput', { params: { site, key: 'mail' }, body: {} });
  assert.deepEqual([mail.state, mail.recipient, mail.test], ['delivered', 'keeper@quillmere.example', true]);
  assert.deepEqual(
    mail.attempts[0].steps?.map(({ step, passed }) => [step, passed]),
    [
      ['connection', true],
      ['greeting', true],
      ['sign-in', true],
      ['acceptance', true],
    ],
  );
  const lamp = await client.call('testOutput', { params: { site, key: 'drive-floods' }, body: {} });
  assert.deepEqual([lamp.state, lamp.receipts[0]?.value], ['delivered', 'on']);
  const desk = await client.call('testOutput', { params: { site, key: 'depot-desk' }, body: {} });
  assert.deepEqual(
    desk.attempts[0].steps?.map(({ step }) => step),
    ['connection', 'answer'],
  );
});

test('a test that fails is tried once, names the step, and stands under what is not finished', async () => {
  const { client } = garden.service;
  await garden.closeMailbox();
  const mail = await client.call('testOutput', { params: { site, key: 'mail' }, body: { to: 'gardener@quillmere.example' } });
  assert.deepEqual([mail.state, mail.attempts.length, mail.attempts[0].code], ['failed', 1, 'connection-refused']);
  assert.deepEqual(mail.attempts[0].steps?.at(-1)?.passed, false);
  const { findings } = await client.call('unfinished', { params: { site } });
  assert.ok(findings.some(({ code, path }) => code === 'last-failed' && path.join('/') === 'outputs/mail'));
  const { items } = await client.call('outputs', { params: { site } });
  const output = items.find(({ key }) => key === 'mail');
  assert.equal(output?.lastTest?.id, mail.id);
  assert.ok(output?.lastDelivered && output.usedBy.includes('members/keeper'));
  await garden.openMailbox();
});

test('a light is set by hand for a time, and only lights can be', async () => {
  const { client } = garden.service;
  const set = await client.call('setOutput', { params: { site, key: 'drive-floods' }, body: { power: true, for: '10s' } });
  assert.deepEqual([set.state, set.sets, set.test], ['delivered', { power: true }, false]);
  await garden.service.after(10_100);
  await garden.service.chainWhen(set.event, (chain) => deliveries(chain).some(({ back, state }) => back && state === 'delivered'));
  assert.equal(await codeOf(client.call('setOutput', { params: { site, key: 'mail' }, body: { power: true } })), 'not-a-light');
});

test('a delivery that failed and is tried by hand makes its action a success', async () => {
  const { client } = garden.service;
  garden.calls.nextStatus.push(404);
  await garden.service.after(60_000);
  const id = await garden.visit();
  const failed = await garden.service.chainWhen(
    id,
    (chain) => of(chain, 'desk')[0]?.state === 'failed' && of(chain, 'message')[0]?.state === 'delivered',
  );
  const [desk] = of(failed, 'desk');
  assert.equal(failed.firings[0].actions.find(({ name }) => name === 'desk')?.succeeded, false);
  await client.call('retry', { params: { site, id: desk.id } });
  const arrived = await garden.service.chainWhen(id, (chain) => of(chain, 'desk')[0].state === 'delivered');
  assert.equal(arrived.firings[0].actions.find(({ name }) => name === 'desk')?.succeeded, true);
  assert.equal(await codeOf(client.call('retry', { params: { site, id: desk.id } })), 'not-retryable');
});

test('what has arrived is sent again as a delivery of its own, linked to the old one', async () => {
  const { client } = garden.service;
  await garden.service.after(60_000);
  const id = await garden.visit();
  const chain = await garden.service.chainWhen(
    id,
    (one) => of(one, 'message')[0]?.state === 'delivered' && of(one, 'floods')[0]?.state === 'delivered',
  );
  const [message] = of(chain, 'message');
  const again = await client.call('sendAgain', { params: { site, id: message.id } });
  assert.equal(again.again, message.id);
  const both = await garden.service.chainWhen(id, (one) => of(one, 'message').filter(({ state }) => state === 'delivered').length === 2);
  assert.notEqual(of(both, 'message')[1].key, message.key);
  assert.equal(garden.mailbox?.mails.filter(({ id: mail }) => mail.includes(message.key) || mail.includes(again.key)).length, 2);
  assert.equal(await codeOf(client.call('sendAgain', { params: { site, id: of(chain, 'floods')[0].id } })), 'not-sendable');
});

test('a delivery that waits is cancelled, and then neither tried nor sent', async () => {
  const { client } = garden.service;
  await garden.closeMailbox();
  await garden.service.after(60_000);
  const id = await garden.visit();
  const chain = await garden.service.chainWhen(id, (one) => of(one, 'message')[0]?.state === 'retrying');
  const [message] = of(chain, 'message');
  assert.equal(await codeOf(client.call('sendAgain', { params: { site, id: message.id } })), 'not-sendable');
  assert.equal((await client.call('cancel', { params: { site, id: message.id } })).state, 'cancelled');
  assert.equal(await codeOf(client.call('cancel', { params: { site, id: message.id } })), 'not-cancellable');
  assert.equal(await codeOf(client.call('retry', { params: { site, id: message.id } })), 'not-retryable');
  await garden.openMailbox();
  await garden.service.after(24 * 3_600_000);
  const { firings } = await garden.service.chain(id);
  assert.equal(firings[0].actions.find(({ name }) => name === 'message')?.succeeded, false);
  assert.ok(!garden.mailbox?.mails.some(({ id: mail }) => mail.includes(message.key)));
});

test('how often a rule fired and what held it is counted by the hour', async () => {
  const { client } = garden.service;
  await garden.service.after(26 * 3_600_000);
  await garden.visit();
  await garden.visit();
  const { items } = await client.call('rules', { params: { site } });
  const counted = items.find(({ key }) => key === 'night-visitor');
  assert.ok(counted);
  const { lastDay, lastWeek } = counted;
  assert.deepEqual([lastDay.fired, lastDay.cooldown], [1, 1]);
  assert.ok(lastWeek.fired > lastDay.fired, 'the visits of the day before are of the week');
});
