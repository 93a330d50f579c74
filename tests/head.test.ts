import assert from 'node:assert/strict';
import { after, before, test } from 'node:test';
import { SimulatedCamera } from '@causalis/standins';
import { Garden, passwords } from './at-work/garden.js';
import { site } from './at-work/service.js';

let garden: Garden;
let mast: SimulatedCamera;
before(async () => {
  mast = await SimulatedCamera.start({
    port: 0,
    rtspPort: 0,
    user: 'causalis',
    password: passwords.gatehouse,
    place: 'mast',
    steered: true,
    hour: () => 12,
  });
  const camera = `
  mast:
    title: Mast
    tours: { rounds: { presets: [overview, steps], stay: 1s } }
    feeds: { main: { kind: onvif, url: "http://127.0.0.1:${mast.port}/onvif/device_service", user: causalis, password: { secret: gatehouse }, profile: mast-small } }
`;
  const rules = `
  door-opens:
    title: The vault door opens
    active: true
    cause: { event: input.changed, at: vault-door, reading: open }
    cooldown: { for: 45s }
    actions: { head: { look: mast, preset: steps, for: 2m } }
  button:
    title: Somebody presses for help
    active: true
    priority: urgent
    cause: { event: hook.called, at: face-desk }
    actions: { head: { look: mast, preset: gatehouse, for: 30s } }
`;
  garden = await Garden.open({ document: (text) => `${text.replace('\ninputs:', `${camera}\ninputs:`)}${rules}` });
});
after(async () => {
  await garden.close();
  await mast.stop();
});

const params = { site, key: 'mast' };
const state = async () => (await garden.service.client.call('camera', { params })).state;
const stateIs = (wanted: (now: Awaited<ReturnType<typeof state>>) => boolean) =>
  garden.service.when(state, wanted, ({ kind }) => kind === 'camera');

test('a hand steers the head: the ledger says who, and the camera’s own move is no motion', async () => {
  await stateIs(({ state: name, settling }) => name === 'live' && settling === false);
  const before = await garden.service.client.call('head', { params });
  assert.deepEqual(before.presets.map(({ name }) => name).sort(), ['gatehouse', 'lily-pond', 'overview', 'steps']);
  await garden.service.client.call('steer', { params, body: { go: 'lily-pond' } });
  await stateIs(({ moving }) => moving === true);
  await stateIs(({ moving, settling }) => moving === undefined && settling === true);
  await stateIs(({ settling }) => settling === false);
  const after = await garden.service.client.call('head', { params });
  assert.equal(after.position?.pan.toFixed(1), '0.6');
  const { items } = await garden.service.client.call('events', { params: { site }, query: { limit: 50, source: 'mast' } });
  assert.ok(
    items.every(({ kind }) => !kind.startsWith('view.') && kind !== 'motion.began'),
    items.map(({ kind }) => kind).join(),
  );
  const moved = items.find(({ kind }) => kind === 'head.moved');
  assert.equal(moved?.data.to, 'lily-pond');
  assert.ok(moved?.data.by);
});

test('where it looks is saved as a preset, by speed it turns for a while, and home is home', async () => {
  await garden.service.client.call('steer', { params, body: { move: { pan: -1 }, forMs: 300 } });
  const saved = await garden.service.client.call('steer', { params, body: { save: 'gate-left' } });
  assert.ok(saved.presets.some(({ name }) => name === 'gate-left'));
  assert.ok((saved.position?.pan ?? 1) < 0.55, JSON.stringify(saved.position));
  await garden.service.client.call('steer', { params, body: { home: true } });
  await garden.service.when(
    () => garden.service.client.call('head', { params }),
    ({ moving, position }) => !moving && Math.abs(position?.pan ?? 1) < 0.01,
    ({ kind }) => kind === 'camera',
  );
});

test('a preset that is not there, and a camera without a head, are refused with a sentence', async () => {
  await assert.rejects(garden.service.client.call('steer', { params, body: { go: 'nowhere' } }), /preset/i);
  await assert.rejects(garden.service.client.call('head', { params: { site, key: 'gatehouse' } }), /no head that can be steered/);
});

const motions = async () =>
  (await garden.service.client.call('events', { params: { site }, query: { limit: 200, source: 'mast' } })).items.filter(
    ({ kind }) => kind === 'motion.began' || kind.startsWith('view.'),
  ).length;
const opens = async () => {
  await garden.service.send('input.changed', 'inputs/vault-door', { reading: 'shut' });
  return await garden.service.send('input.changed', 'inputs/vault-door', { reading: 'open' });
};
/** What became of the head's action of an event's firing. */
const headOf = async (event: string) => {
  const of = (chain: Awaited<ReturnType<typeof garden.service.chain>>) =>
    chain.firings.flatMap(({ actions }) => actions).find(({ name }) => name === 'head');
  return of(await garden.service.chainWhen(event, (chain) => ['ended', 'skipped'].includes(of(chain)?.state ?? '')));
};
const panIs = (wanted: number) =>
  garden.service.when(
    () => garden.service.client.call('head', { params }),
    ({ moving, position }) => !moving && Math.abs((position?.pan ?? 9) - wanted) < 0.05,
    ({ kind }) => kind === 'camera' || kind === 'delivery',
  );

test('a rule turns the head when a door opens, its move is no motion, and it goes back when its time is over', async () => {
  await garden.service.after(120_000);
  await stateIs(({ moving, settling }) => moving === undefined && settling === false);
  const before = await motions();
  const opened = await opens();
  const action = await headOf(opened);
  assert.deepEqual([action?.state, action?.deliveries[0].looks], ['ended', 'steps']);
  await panIs(0.1);
  await stateIs(({ moving, settling }) => moving === undefined && settling === false);
  const again = await opens();
  const chain = await garden.service.chain(again);
  assert.equal(chain.verdicts.find(({ rule }) => rule === 'door-opens')?.by?.kind, 'cooldown', 'not more often than every 45 s');

  await garden.service.after(125_000);
  const back = await garden.service.chainWhen(opened, ({ firings }) =>
    firings[0].actions[0].deliveries.some((one) => one.back && one.state === 'delivered'),
  );
  assert.equal(back.firings[0].actions[0].deliveries.find((one) => one.back)?.looks, 'home');
  await panIs(0);
  await stateIs(({ moving, settling }) => moving === undefined && settling === false);
  assert.equal(await motions(), before, 'nothing of its own moves was motion');
});

test('a hand beats rules, the more important rule the lesser, and the chain says so', async () => {
  await garden.service.client.call('steer', { params, body: { go: 'lily-pond' } });
  const held = await headOf(await opens());
  assert.deepEqual([held?.state, held?.reason], ['skipped', 'hand-at-head']);
  await garden.service.after(65_000);

  const pressed = await headOf(await garden.service.send('hook.called', 'hooks/face-desk', { who: 'Ada Marsh', sure: 0.9 }));
  assert.equal(pressed?.deliveries[0].looks, 'gatehouse');
  const busy = await headOf(await opens());
  assert.deepEqual([busy?.state, busy?.reason], ['skipped', 'head-busy']);

  const moved = async () =>
    (await garden.service.client.call('events', { params: { site }, query: { limit: 20, kind: 'head.moved' } })).items.map(({ data }) => [
      data.to,
      data.by,
    ]);
  await garden.service.after(35_000);
  await garden.service.when(
    moved,
    ([[to]]) => to === 'lily-pond',
    ({ kind }) => kind === 'event',
  );
  assert.deepEqual(
    (await moved()).slice(0, 3).map(([to]) => to),
    ['lily-pond', 'gatehouse', 'lily-pond'],
    'it goes back to where the hand had left it',
  );
});

test('a tour goes from place to place until the next order', async () => {
  await garden.service.client.call('steer', { params, body: { go: 'rounds' } });
  await panIs(0.1);
  await panIs(0);
  await garden.service.client.call('steer', { params, body: { go: 'lily-pond' } });
  await panIs(0.6);
});
