import assert from 'node:assert/strict';
import { after, before, test } from 'node:test';
import type { Feed, ProbeReport } from '@causalis/contract';
import { SimulatedCamera } from '@causalis/standins';
import { generate } from 'selfsigned';
import { causalis } from './at-work/command-line.js';
import { Garden, passwords } from './at-work/garden.js';
import { site } from './at-work/service.js';

// What is there is found, known again at another address, and listened to: ONVIF devices and everything they say.
let garden: Garden;
let mast: SimulatedCamera;
let recorder: SimulatedCamera;
const who = { user: 'causalis', password: passwords.gatehouse };
const serial = crypto.randomUUID();
const mastOptions = { rtspPort: 0, ...who, place: 'mast', steered: true, serial, hour: () => 12 } as const;

before(async () => {
  mast = await SimulatedCamera.start({ port: 0, ...mastOptions });
  recorder = await SimulatedCamera.start({
    port: 0,
    rtspPort: 0,
    ...who,
    place: ['palm-house', 'lily-pond', 'seed-vault', 'nursery'],
    serial: crypto.randomUUID(),
    clockMs: 7_200_000,
    hour: () => 12,
  });
  const cameras = `
  mast:
    title: Mast
    reports: [motion, inside, crossed, covered]
    feeds: { main: { kind: onvif, url: "http://127.0.0.1:${mast.port}/onvif/device_service", user: causalis, password: { secret: gatehouse }, profile: mast-small, device: "${mast.onvif?.endpoint}" } }
    watching: { difference: 120, threshold: 99% }
`;
  garden = await Garden.open({
    document: (text) =>
      text
        .replace(
          '\ninputs:',
          `${cameras}\ninputs:\n  bench-button: { camera: mast, input: input-1, readings: { "true": pressed, "false": released } }`,
        )
        .replace('\noutputs:', '\noutputs:\n  misting-pump: { kind: relay, camera: mast, relay: relay-1 }'),
  });
});
after(async () => {
  await garden.close();
  await Promise.all([mast.stop(), recorder.stop()]);
});

const params = { site };
const url = (camera: SimulatedCamera) => `http://127.0.0.1:${camera.port}/onvif/device_service`;
const found = async () => (await garden.service.client.call('found', { params })).items;
const probe = (feed: object, more: object = {}): Promise<ProbeReport> =>
  garden.service.client.call('probe', { params, body: { feed: feed as Feed, ...more } });
const events = async (source: string, kind?: string) =>
  (await garden.service.client.call('events', { params, query: { limit: 20, source, ...(kind ? { kind: kind as never } : {}) } })).items;
const eventOf = (source: string, kind: string, more = (_: unknown) => true) =>
  garden.service.when(
    async () => (await events(source, kind)).find(more),
    (event) => event !== undefined,
    ({ kind: one }) => one === 'event',
  );
const live = () =>
  garden.service.when(
    async () => (await garden.service.client.call('cameras', { params })).items.find(({ key }) => key === 'mast')?.state.state,
    (state) => state === 'live',
    ({ kind }) => kind === 'camera',
  );

test('what answers on the network is listed, and which of it is known', async () => {
  const items = await found();
  const of = (camera: SimulatedCamera) => items.find(({ device }) => device === camera.onvif?.endpoint);
  assert.deepEqual(of(mast), { device: mast.onvif?.endpoint, url: url(mast), name: 'mast', model: 'Camera', camera: 'mast' });
  assert.deepEqual([of(recorder)?.url, of(recorder)?.model, of(recorder)?.camera], [url(recorder), 'Recorder of 4', undefined]);
});

test('the channels of a recorder are shown with their pictures, its clock is told, and all are added together', async () => {
  const report = await probe({ kind: 'onvif', url: url(recorder), user: 'causalis' }, { password: passwords.gatehouse, channels: true });
  assert.ok(report.ok && report.profiles.every(({ picture }) => picture));
  assert.equal(report.device, recorder.onvif?.endpoint, 'it calls itself as it does when the network is searched');
  assert.ok(Math.abs((report.clockMs ?? 0) - 7_200_000) < 60_000);
  const { revision } = (await garden.service.client.call('status', { params })).site;
  let at = revision;
  for (const channel of ['lily-pond', 'seed-vault']) {
    const feed = {
      kind: 'onvif',
      url: url(recorder),
      user: 'causalis',
      password: { secret: 'gatehouse' },
      profile: `${channel}-small`,
      device: report.device,
    };
    const item = { ...params, section: 'cameras', key: channel };
    at = (
      await garden.service.client.call('putItem', {
        params: item,
        body: { title: channel, feeds: { main: feed } },
        headers: { 'if-match': `"${at}"` },
      })
    ).revision;
  }
  await garden.service.client.call('setSecret', { params: { ...params, key: 'gatehouse' }, body: { value: passwords.gatehouse } });
  await garden.service.when(
    async () => (await garden.service.client.call('cameras', { params })).items,
    (items) => ['lily-pond', 'seed-vault'].every((key) => items.some((one) => one.key === key && one.state.state === 'live')),
    ({ kind }) => kind === 'camera',
  );
});

test('what a camera finds by itself is an event where that is wanted, with its picture; its button is an input', async () => {
  await live();
  const device = mast.onvif;
  if (!device) throw new Error('unreachable: it has a port for streams');
  device.tell('motion', 'mast', true);
  const began = await eventOf('mast', 'motion.began');
  assert.deepEqual([began?.data.own, began?.still !== undefined], ['motion', true]);
  device.tell('motion', 'mast', true);
  device.tell('motion', 'mast', false);
  const ended = await eventOf('mast', 'motion.ended');
  assert.equal(ended?.span, began?.span, 'what began and what ended are one');
  assert.equal((await events('mast', 'motion.began')).length, 1, 'what is said again is no news');
  device.tell('crossed', 'the gate', true);
  assert.equal((await eventOf('mast', 'line.crossed'))?.data.own, 'the gate');
  device.tell('tamper', 'mast', true);
  await eventOf('mast', 'view.covered');
  device.tell('input', 'input-1', true);
  assert.equal(
    (await eventOf('bench-button', 'input.changed', (one) => (one as { data: { reading: string } }).data.reading === 'pressed'))?.data.to,
    'pressed',
  );

  const { device: can } = await garden.service.client.call('camera', { params: { ...params, key: 'mast' } });
  assert.deepEqual([can?.inputs, can?.relays], [['input-1', 'input-2'], ['relay-1']]);
  const last = Object.fromEntries((can?.reports ?? []).map(({ what, taken, last: at }) => [what, [taken, at !== undefined]]));
  assert.deepEqual(last, { motion: [true, true], inside: [true, false], crossed: [true, true], covered: [true, true] });
});

test('a relay of a camera is switched, and tells so itself', async () => {
  const delivery = await garden.service.client.call('setOutput', { params: { ...params, key: 'misting-pump' }, body: { power: true } });
  assert.equal(delivery.state, 'delivered', JSON.stringify(delivery.attempts));
  assert.equal(mast.onvif?.relays.get('relay-1'), true);
  const output = async () => (await garden.service.client.call('outputs', { params })).items.find(({ key }) => key === 'misting-pump');
  await garden.service.when(output, (one) => one?.confirmed === true && one.shows?.power === true);
});

test('a subscription that the device forgot is made anew, and nothing is told twice', async () => {
  const device = mast.onvif;
  const before = (await events('mast')).length;
  device?.forgetListeners();
  device?.tell('motion', 'mast', true);
  await garden.service.when(
    async () => (await events('mast', 'motion.began')).length,
    (n) => n === 2,
    ({ kind }) => kind === 'event',
  );
  assert.equal((await events('mast')).filter(({ kind }) => kind !== 'motion.began').length, before - 1);
});

test('a camera that comes back at another address is known again, and followed when somebody says so', async () => {
  await mast.stop();
  mast = await SimulatedCamera.start({ port: 0, ...mastOptions });
  const moved = (await found()).find(({ device }) => device === mast.onvif?.endpoint);
  assert.deepEqual([moved?.camera, moved?.moved, moved?.url], ['mast', true, url(mast)]);
  const said = await causalis(garden.service.home, ['camera', 'find']);
  assert.match(said.out, /is mast, at another address than in the document: causalis camera follow mast/);
  const followed = await causalis(garden.service.home, ['camera', 'follow', 'mast']);
  assert.equal(followed.code, 0, followed.err);
  assert.match(followed.out, new RegExp(`mast is at ${url(mast)} now`));
  await live();
  const again = await causalis(garden.service.home, ['camera', 'follow', 'gatehouse']);
  assert.equal(again.code, 1);
  assert.match(again.err, /device/);
});

test('a certificate that nobody has signed is refused, shown, and known again once it is pinned', async () => {
  const { private: key, cert } = await generate([{ name: 'commonName', value: 'camera' }]);
  const secure = await SimulatedCamera.start({ port: 0, ...who, place: 'seed-vault', tls: { key, cert }, hour: () => 12 });
  const feed = { kind: 'still', url: `https://127.0.0.1:${secure.port}/small.jpg`, user: 'causalis' };
  const right = { password: passwords.gatehouse };
  const refused = await probe(feed, right);
  assert.deepEqual([refused.ok, refused.code], [false, 'wrong-certificate']);
  assert.match(refused.fingerprint ?? '', /^([0-9A-F]{2}:){31}/);
  const pinned = await probe({ ...feed, certificate: refused.fingerprint }, right);
  assert.equal(pinned.ok, true, JSON.stringify(pinned));
  const other = await probe({ ...feed, certificate: `${'00:'.repeat(31)}00` }, right);
  assert.deepEqual([other.ok, other.code, other.fingerprint], [false, 'other-certificate', refused.fingerprint]);
  await secure.stop();
});

test('likely addresses at a host are tried', async () => {
  const { found: paths, tried } = await garden.service.client.call('paths', {
    params,
    body: { host: `127.0.0.1:${recorder.rtspPort}`, user: 'causalis', password: passwords.gatehouse },
  });
  assert.ok(tried > 20);
  assert.deepEqual(
    paths.map(({ kind, url: at }) => `${kind} ${new URL(at).pathname}`),
    ['rtsp /large', 'rtsp /small'],
  );
  const single = await garden.service.client.call('paths', {
    params,
    body: { host: `127.0.0.1:${mast.port}`, user: 'causalis', password: passwords.gatehouse },
  });
  assert.deepEqual(
    single.found.map(({ kind, url: at }) => `${kind} ${new URL(at).pathname}`),
    ['onvif /onvif/device_service', 'multipart /large', 'multipart /small', 'still /large.jpg', 'still /small.jpg'],
  );
});
