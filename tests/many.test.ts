import assert from 'node:assert/strict';
import { after, before, test } from 'node:test';
import { Garden } from './at-work/garden.js';
import { site } from './at-work/service.js';

const count = 3_000;
let garden: Garden;
before(async () => {
  const rule = (i: number) =>
    `  many-${i}: { title: "Rule ${i}", active: true, cause: { event: hook.called, at: face-desk }, cooldown: { for: 1h, per: who }, actions: { lamp: { set: drive-floods, to: { power: true }, for: 20s } } }`;
  garden = await Garden.open({ document: (text) => `${text}\n${Array.from({ length: count }, (_, i) => rule(i)).join('\n')}\n` });
});
after(() => garden.close());

test('an event that sets off thousands of rules is kept whole, in one commit', async () => {
  const id = await garden.service.send('hook.called', 'hooks/face-desk', { who: 'Head gardener' });
  const { verdicts, firings } = await garden.service.chain(id);
  assert.equal(verdicts.filter(({ verdict }) => verdict === 'fired').length, count);
  assert.equal(firings.length, count);
  assert.equal(firings.flatMap(({ actions }) => actions.flatMap(({ deliveries }) => deliveries)).length, count);
  const again = await garden.service.send('hook.called', 'hooks/face-desk', { who: 'Head gardener' });
  assert.equal((await garden.service.chain(again)).verdicts.filter(({ by }) => by?.kind === 'cooldown').length, count);
});

test('a list of thousands of rules answers with what each has fired', async () => {
  const { items } = await garden.service.client.call('rules', { params: { site } });
  assert.equal(items.filter(({ key, firedLastDay }) => key.startsWith('many-') && firedLastDay === 1).length, count);
});

test('what thousands of firings left behind a kill goes out in turn, once more under its key, and holds up no other output', async () => {
  const { gone } = await garden.service.endAt('committed');
  await assert.rejects(garden.service.send('hook.called', 'hooks/face-desk', { who: 'Somebody else' }));
  await gone;
  await garden.service.up();
  // Another output is asked at once, though thousands of commands for the lamp are due.
  const mail = await garden.service.client.call('testOutput', { params: { site, key: 'mail' }, body: {} });
  assert.equal(mail.state, 'delivered');
  // Marked when the service starts; on a busy machine the time of some is over before their turn.
  const marked = async () => {
    const query = { limit: 200, output: 'drive-floods' } as const;
    const page = await garden.service.client.call('deliveries', { params: { site }, query });
    return page.items.filter(({ attempts }) => attempts[0]?.outcome === 'unknown');
  };
  const repeated = await garden.service.when(marked, (items) => items.length > 0);
  const left = async () => (await garden.service.client.call('status', { params: { site } })).deliveries.open;
  const some = 300;
  await garden.service.when(left, (open) => open <= count - some);
  assert.ok(repeated.length > 0, 'what may have arrived before is marked');
  assert.ok(repeated.every(({ key, id }) => key === id));
  const sent = await marked();
  assert.ok(sent.every(({ state, attempts }) => state !== 'delivered' || attempts.at(-1)?.outcome === 'delivered'));
});
