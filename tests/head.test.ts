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
    feeds: { main: { kind: onvif, url: "http://127.0.0.1:${mast.port}/onvif/device_service", user: causalis, password: { secret: gatehouse }, profile: mast-small } }
`;
  garden = await Garden.open({ document: (text) => text.replace('\ninputs:', `${camera}\ninputs:`) });
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
