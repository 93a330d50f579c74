import assert from 'node:assert/strict';
import { execFile } from 'node:child_process';
import { after, before, test } from 'node:test';
import { promisify } from 'node:util';
import { SimulatedCamera } from '@causalis/standins';
import { Garden, passwords } from './at-work/garden.js';
import { site } from './at-work/service.js';

let garden: Garden;
before(async () => {
  garden = await Garden.open({ camera: {} });
});
after(() => garden.close());

const camera = async () => (await garden.service.client.call('cameras', { params: { site } })).items[0];
const cameraIs = (wanted: (state: Awaited<ReturnType<typeof camera>>['state']) => boolean) =>
  garden.service.when(
    camera,
    ({ state }) => wanted(state),
    ({ kind }) => kind === 'camera',
  );
const eventOf = (kind: string) =>
  garden.service.when(
    async () =>
      (await garden.service.client.call('events', { params: { site }, query: { limit: 50 } })).items.find((event) => event.kind === kind),
    (event) => event !== undefined,
    ({ kind }) => kind === 'event',
  );

test('the stand-in’s stream is read by an independent player too', async () => {
  const open = await SimulatedCamera.start({ port: 0, user: 'causalis', password: 'x', signIn: 'none' });
  const { stderr } = await promisify(execFile)('ffmpeg', [
    '-hide_banner',
    '-f',
    'mpjpeg',
    '-i',
    `http://127.0.0.1:${open.port}/small`,
    '-frames:v',
    '3',
    '-f',
    'null',
    '-',
  ]);
  await open.stop();
  assert.match(stderr, /640x360/);
});

test('a walker sets off the rule, and the whole chain is delivered with its picture', async () => {
  const began = await eventOf('motion.began');
  assert.ok(began?.still);
  const chain = await garden.service.chainWhen(
    began.id,
    ({ firings }) => firings.length > 0 && firings[0].actions.every(({ state, succeeded }) => state === 'ended' && succeeded),
  );
  const [firing] = chain.firings;
  assert.deepEqual(
    firing.actions.map(({ name, succeeded }) => [name, succeeded]),
    [
      ['floods', true],
      ['picture', true],
      ['message', true],
      ['desk', true],
    ],
  );
  assert.deepEqual(firing.actions[1].stills, [began.still]);
  const picture = Buffer.from(await (await garden.service.client.raw('media', { params: { site, id: began.still } })).arrayBuffer());
  assert.deepEqual([...picture.subarray(0, 2)], [0xff, 0xd8]);
  assert.deepEqual(garden.mailbox?.mails.at(-1)?.pictures[0], picture, 'the mail carries the kept picture');
  const times = [chain.event.time, chain.event.seen, chain.event.accepted, firing.at].map((time) => Date.parse(time));
  assert.deepEqual(
    times,
    [...times].sort((a, b) => a - b),
    'each step comes after the one before',
  );
  assert.ok((chain.event.data.level ?? 0) >= (chain.event.data.threshold ?? 1));
});

test('the end of a motion is tied to its beginning', async () => {
  const ended = await eventOf('motion.ended');
  assert.ok(ended?.data.lastedMs && ended.data.lastedMs > 1_000);
  const chain = await garden.service.chain(ended.id);
  assert.deepEqual(
    chain.span.map(({ kind }) => kind),
    ['motion.began'],
  );
});

test('a still of now comes from the main feed', async () => {
  const picture = Buffer.from(await (await garden.service.client.raw('cameraStill', { params: { site, key: 'gatehouse' } })).arrayBuffer());
  assert.equal(picture.readUInt16BE(picture.indexOf(Buffer.from([0xff, 0xc0])) + 7), 1280);
});

test('an arrival that is no picture is counted and named', async () => {
  garden.camera?.sendInstead(
    Buffer.from('no picture at all'),
    Buffer.from('no picture at all'),
    Buffer.from([0xff, 0xd8, 0xff, 0xe0, 0, 4, 0, 0]),
  );
  const { state } = await cameraIs(({ broken }) => (broken?.count ?? 0) >= 1);
  assert.match(state.broken?.last ?? '', /JPEG/);
  assert.equal(state.state, 'live');
});

test('a camera that is dropped comes back by itself without an event', async () => {
  garden.camera?.dropAll();
  const { items } = await garden.service.client.call('events', { params: { site }, query: { limit: 200 } });
  assert.ok(items.every(({ kind }) => kind !== 'camera.lost'));
  await cameraIs(({ state, rate }) => state === 'live' && (rate ?? 0) >= 1);
});

test('a camera that is gone is lost, with why, and its return is an event', async () => {
  const port = garden.camera?.port ?? 0;
  await garden.camera?.stop();
  const lost = await eventOf('camera.lost');
  assert.match(lost?.data.reason ?? '', /connection-refused|connection-broken/);
  const { state } = await cameraIs(({ reason }) => reason?.code === 'connection-refused');
  assert.equal(state.state, 'lost');
  garden.camera = await SimulatedCamera.start({ port, user: 'causalis', password: passwords.gatehouse, signIn: 'basic', hour: () => 12 });
  await eventOf('camera.restored');
});

test('a wrong password says so', async () => {
  await garden.service.client.call('setSecret', { params: { site, key: 'gatehouse' }, body: { value: 'wrong' } });
  const { state } = await cameraIs(({ reason }) => reason?.code === 'not-authorised');
  assert.notEqual(state.state, 'live');
});
