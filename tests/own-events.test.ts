import assert from 'node:assert/strict';
import { after, before, test } from 'node:test';
import type { EventRow } from '@causalis/contract';
import { Garden } from './at-work/garden.js';
import { site } from './at-work/service.js';

let garden: Garden;
before(async () => {
  garden = await Garden.open({
    camera: {},
    document: (text) =>
      text.replaceAll('active: true', 'active: false').concat(`
  counted:
    title: Somebody calls
    active: true
    cause: { event: hook.called, at: face-desk }
    cooldown: { for: 1h, per: who }
  seen:
    title: Somebody is at the desk
    active: true
    priority: urgent
    cause: { event: mode.changed }
    actions:
      picture: { still: { camera: gatehouse } }
      desk: { call: depot-desk }
`),
  });
});
after(() => garden.close());

const listed = async (kind: string): Promise<EventRow[]> => {
  const { items } = await garden.service.client.call('events', { params: { site }, query: { limit: 100, kind: kind as never } });
  return items;
};
/** Events of a kind as soon as there are so many. */
const eventsOf = (kind: string, count: number) =>
  garden.service.when(
    () => listed(kind),
    (items) => items.length >= count,
  );
const setMode = (mode: string) => garden.service.client.call('setMode', { params: { site }, body: { mode } });

test('a start is an event that says for how long nobody watched', async () => {
  await garden.service.kill();
  await garden.service.up();
  const [started] = await eventsOf('service.started', 1);
  assert.ok(started.data.lastedMs !== undefined && started.data.lastedMs < 60_000);
});

test('a jump of the wall clock is an event both ways, and moves nothing that is due after a while', async () => {
  const { service } = garden;
  const chainOf = async (mode: string) => {
    await setMode(mode);
    const [event] = await listed('mode.changed');
    return event.id;
  };
  for (const [i, byMs] of [3_600_000, 86_400_000, -3_600_000, -86_400_000].entries()) {
    await service.jump(byMs);
    const items = await eventsOf('clock.jumped', i + 1);
    assert.ok(Math.abs((items[0].data.byMs ?? 0) - byMs) < 5_000, `${items[0].data.byMs} is told of ${byMs}`);
    const id = await chainOf(i % 2 === 0 ? 'open' : 'closed');
    const chain = await service.chainWhen(id, (one) => one.firings[0]?.actions.every(({ state }) => state === 'ended'));
    assert.ok(chain.firings[0].actions.every(({ succeeded, name }) => succeeded || name === 'picture'));
  }
});

test('when the disk is nearly full, pictures stop first, one event says so, and urgent calls go on', async () => {
  const { service, calls } = garden;
  await service.say({ kind: 'room', bytes: 100 * 1024 * 1024 });
  await service.after(11_000);
  const [low] = await eventsOf('storage.low', 1);
  assert.equal(low.data.free, 100 * 1024 * 1024);
  const before = calls.calls.length;
  await setMode('evening-event');
  const [changed] = await listed('mode.changed');
  const chain = await service.chainWhen(changed.id, (one) => one.firings[0]?.actions.every(({ state }) => state === 'ended'));
  const of = (name: string) => chain.firings[0].actions.find((action) => action.name === name)?.deliveries[0];
  assert.equal(of('picture')?.attempts[0].code, 'no-room');
  assert.equal(of('desk')?.state, 'delivered');
  assert.equal(calls.calls.length, before + 1);

  await service.after(60_000);
  assert.equal((await listed('storage.low')).length, 1, 'said once');
  await service.say({ kind: 'room', bytes: 10 * 1024 * 1024 * 1024 });
  await service.after(11_000);
  await eventsOf('storage.enough', 1);
});

test('an output that fails again and again is one event, and its return another', async () => {
  const { service } = garden;
  garden.calls.nextStatus.push(...Array.from({ length: 6 }, () => 503));
  await setMode('closed');
  const [changed] = await listed('mode.changed');
  const attempts = (chain: Awaited<ReturnType<typeof service.chain>>) =>
    chain.firings[0]?.actions.find(({ name }) => name === 'desk')?.deliveries[0]?.attempts.length ?? 0;
  for (let n = 1; n <= 6; n++) {
    await service.chainWhen(changed.id, (chain) => attempts(chain) >= n);
    await service.after(60_000);
  }
  const [failing] = await eventsOf('output.failing', 1);
  assert.deepEqual([failing.source.key, failing.data.count], ['depot-desk', 5]);
  await eventsOf('output.working', 1);
  assert.equal((await listed('output.failing')).length, 1);
});

test('a hook that reports a hundred times what it may is held back, told once with its count, and delays nothing urgent', async () => {
  const { service, calls } = garden;
  const { address } = await service.client.call('issueHook', { params: { site, key: 'face-desk' } });
  const url = new URL(address, service.url);
  const call = async (who: string) => (await fetch(url, { method: 'POST', body: JSON.stringify({ person: { name: who } }) })).status;
  const statuses = new Map<number, number>();
  let n = 0;
  const one = async () => {
    while (n < 1_500) {
      const status = await call(`random ${n++} ${Math.random()}`);
      statuses.set(status, (statuses.get(status) ?? 0) + 1);
    }
  };
  const began = performance.now();
  const flooding = Promise.all(Array.from({ length: 16 }, one));
  const calledBefore = calls.calls.length;
  await setMode('open');
  const [changed] = await listed('mode.changed');
  const chain = await service.chainWhen(changed.id, (one) =>
    one.firings[0]?.actions.some(({ name, state }) => name === 'desk' && state === 'ended'),
  );
  assert.equal(calls.calls.length, calledBefore + 1, 'the urgent call went out meanwhile');
  const desk = chain.firings[0].actions.find(({ name }) => name === 'desk')?.deliveries[0];
  assert.deepEqual([desk?.state, desk?.attempts.length], ['delivered', 1]);
  await flooding;
  assert.deepEqual([...statuses.keys()].sort(), [200, 429]);
  const refused = statuses.get(429) ?? 0;
  // Two hundred at once, and twenty a second while it lasted.
  const mostPassed = 200 + 20 * ((performance.now() - began) / 1000) + 1;
  assert.ok(refused > 0 && (statuses.get(200) ?? 0) <= mostPassed, `${refused} were refused`);

  await service.after(61_000);
  const [flood] = await eventsOf('source.flooding', 1);
  assert.deepEqual([flood.source.key, flood.data.count], ['face-desk', refused]);
  await service.after(61_000);
  assert.equal((await listed('source.flooding')).length, 1);
  assert.equal(await call('somebody after the flood'), 200);
});
