import assert from 'node:assert/strict';
import { execFile } from 'node:child_process';
import { mkdir } from 'node:fs/promises';
import { createServer } from 'node:http';
import { createServer as createPlainServer } from 'node:net';
import path from 'node:path';
import { after, before, test } from 'node:test';
import { promisify } from 'node:util';
import type { Feed, ProbeReport } from '@causalis/contract';
import { Recogniser, SimulatedCamera } from '@causalis/standins';
import { Garden, passwords } from './at-work/garden.js';
import { site } from './at-work/service.js';

// Every kind of feed through the running service: the same questions to each.
let garden: Garden;
let device: SimulatedCamera;
let house: SimulatedCamera;
let recogniser: Recogniser;
const who = { user: 'causalis', password: passwords.gatehouse };
const secret = 'user: causalis, password: { secret: gatehouse }';

before(async () => {
  device = await SimulatedCamera.start({ port: 0, rtspPort: 0, ...who, place: 'seed-vault', hour: () => 12 });
  house = await SimulatedCamera.start({
    port: 0,
    rtspPort: 0,
    ...who,
    place: ['palm-house', 'lily-pond'],
    clockMs: 7_200_000,
    hour: () => 12,
  });
  recogniser = await Recogniser.start({ port: 0 });
  const more = `
  by-stills: { title: Stills, feeds: { main: { kind: still, url: "http://127.0.0.1:${device.port}/small.jpg", ${secret}, every: 500ms } } }
  by-rtsp: { title: Stream, feeds: { main: { kind: rtsp, url: "rtsp://127.0.0.1:${device.rtspPort}/small", ${secret} } } }
  by-onvif: { title: Device, feeds: { main: { kind: onvif, url: "http://127.0.0.1:${device.port}/onvif/device_service", ${secret}, profile: seed-vault-small } } }
  by-file: { title: File, feeds: { main: { kind: file, file: walk.mp4 } } }
  palm-house:
    title: Palm house
    recogniser: bench
    feeds: { main: { kind: multipart, url: "http://127.0.0.1:${house.port}/palm-house/small", ${secret} } }
    marks:
      hall: { zone: [[0, 0.62], [1, 0.62], [1, 1], [0, 1]] }
      door: { line: [[0.72, 0.66], [0.28, 0.66]], in: left, counter: { label: person } }
`;
  garden = await Garden.open({
    camera: {},
    document: (text) =>
      text.replace(/http:\/\/127\.0\.0\.1:7301/, `http://127.0.0.1:${recogniser.port}`).replace('\ninputs:', `${more}\ninputs:`),
  });
  const recordings = path.join(garden.service.home, 'recordings');
  await mkdir(recordings, { recursive: true });
  const args = [
    '-v',
    'error',
    '-f',
    'lavfi',
    '-i',
    'testsrc=size=320x180:rate=10',
    '-t',
    '3',
    '-pix_fmt',
    'yuv420p',
    path.join(recordings, 'walk.mp4'),
  ];
  await promisify(execFile)('ffmpeg', args);
});
after(async () => {
  await garden.close();
  await Promise.all([device.stop(), house.stop(), recogniser.stop()]);
});

const cameras = async () => (await garden.service.client.call('cameras', { params: { site } })).items;
const camerasAre = (wanted: (list: Awaited<ReturnType<typeof cameras>>) => boolean) =>
  garden.service.when(cameras, wanted, ({ kind }) => kind === 'camera');
const eventOf = (kind: string, source: string) =>
  garden.service.when(
    async () =>
      (await garden.service.client.call('events', { params: { site }, query: { limit: 20, kind: kind as never, source } })).items[0],
    (event) => event !== undefined,
    ({ kind: one }) => one === 'event',
  );
const probe = (feed: object, more: object = {}): Promise<ProbeReport> =>
  garden.service.client.call('probe', { params: { site }, body: { feed: feed as Feed, ...more } });

test('each kind of feed is live', async () => {
  const list = await camerasAre((all) => all.every(({ state }) => state.state === 'live'));
  assert.deepEqual(list.map(({ key }) => key).sort(), ['by-file', 'by-onvif', 'by-rtsp', 'by-stills', 'gatehouse', 'palm-house']);
  for (const { key, state } of list) assert.ok((state.width ?? 0) >= 320, `${key} has a size`);
});

test('a probe says what answers, with its picture', async () => {
  const answered = await probe(
    { kind: 'rtsp', url: `rtsp://127.0.0.1:${device.rtspPort}/small`, user: 'causalis' },
    { password: passwords.gatehouse },
  );
  assert.equal(answered.ok, true, JSON.stringify(answered));
  assert.deepEqual([answered.codec, answered.width, answered.height], ['h264', 640, 360]);
  assert.equal(Buffer.from(answered.picture ?? '', 'base64').readUInt16BE(0), 0xffd8);
});

test('a recorder shows its channels, and that its clock is wrong', async () => {
  const url = `http://127.0.0.1:${house.port}/onvif/device_service`;
  const look = () => probe({ kind: 'onvif', url, user: 'causalis' }, { password: passwords.gatehouse, channels: true });
  const first = await look();
  // On a busy machine the stand-in may paint too slowly for the time that a probe has.
  const report = first.ok ? first : await look();
  assert.equal(report.ok, true, JSON.stringify({ ...report, picture: undefined }));
  assert.deepEqual([...new Set(report.profiles.map(({ source }) => source))], ['palm-house', 'lily-pond']);
  assert.ok(report.profiles.every(({ picture }) => picture !== undefined));
  assert.ok(Math.abs((report.clockMs ?? 0) - 7_200_000) < 60_000);
});

test('a stream of JPEGs over RTSP is read like any other', async (t) => {
  const old = await SimulatedCamera.start({ port: 0, rtspPort: 0, ...who, place: 'seed-vault', codec: 'jpeg', hour: () => 12 });
  t.after(() => old.stop());
  const report = await probe(
    { kind: 'rtsp', url: `rtsp://127.0.0.1:${old.rtspPort}/small`, user: 'causalis' },
    { password: passwords.gatehouse },
  );
  assert.deepEqual([report.ok, report.codec, report.width, report.height], [true, 'mjpeg', 640, 360], JSON.stringify(report));
});

test('each failure of a probe has a name of its own', async (t) => {
  const text = createServer((_, response) => response.setHeader('content-type', 'text/html').end('<p>hello</p>'));
  const silent = createPlainServer(() => undefined);
  const garbage = createPlainServer((socket) => {
    socket.on('error', () => undefined);
    socket.end(Buffer.alloc(100_000, 7));
  });
  const deep = createServer((_, response) => response.end(`${'<a>'.repeat(5_000)}${'</a>'.repeat(5_000)}`));
  const entities = createServer((_, response) => response.end('<!DOCTYPE x [<!ENTITY a "aaaa">]><x>&a;</x>'));
  const ports = await Promise.all(
    [text, silent, garbage, deep, entities].map(
      (server) =>
        new Promise<number>((resolve) => {
          server.listen(0, '127.0.0.1', () => resolve((server.address() as { port: number }).port));
        }),
    ),
  );
  t.after(() => {
    for (const server of [text, silent, garbage, deep, entities]) server.close();
  });
  const [textPort, silentPort, garbagePort, deepPort, entityPort] = ports;
  const small = `http://127.0.0.1:${device.port}/small.jpg`;
  const stream = `rtsp://127.0.0.1:${device.rtspPort}`;
  const wrong = { password: 'wrong' };
  const right = { password: passwords.gatehouse };
  const user = 'causalis';
  const asked: readonly (readonly [string, string, object, object?])[] = [
    ['a wrong password of stills', 'not-authorised', { kind: 'still', url: small, user }, wrong],
    ['a wrong password of a stream', 'not-authorised', { kind: 'rtsp', url: `${stream}/small`, user }, wrong],
    [
      'a wrong password of a device',
      'not-authorised',
      { kind: 'onvif', url: `http://127.0.0.1:${device.port}/onvif/device_service`, user },
      wrong,
    ],
    ['a wrong path of stills', 'not-found', { kind: 'still', url: `http://127.0.0.1:${device.port}/nothing.jpg`, user }, right],
    ['a wrong path of a stream', 'not-found', { kind: 'rtsp', url: `${stream}/nothing`, user }, right],
    ['nothing listens', 'connection-refused', { kind: 'still', url: 'http://127.0.0.1:1/x.jpg' }],
    ['no such host', 'host-unknown', { kind: 'multipart', url: 'http://no-such-host.invalid/x' }],
    ['a page in the place of pictures', 'wrong-type', { kind: 'still', url: `http://127.0.0.1:${textPort}/` }],
    ['a page in the place of a stream of pictures', 'wrong-type', { kind: 'multipart', url: `http://127.0.0.1:${textPort}/` }],
    ['a page in the place of a device', 'wrong-type', { kind: 'onvif', url: `http://127.0.0.1:${textPort}/` }],
    ['XML without a bottom', 'wrong-type', { kind: 'onvif', url: `http://127.0.0.1:${deepPort}/` }],
    ['XML with entities', 'wrong-type', { kind: 'onvif', url: `http://127.0.0.1:${entityPort}/` }],
    [
      'a profile that is not there',
      'no-profile',
      { kind: 'onvif', url: `http://127.0.0.1:${device.port}/onvif/device_service`, user, profile: 'x' },
      right,
    ],
    ['a file that is not there', 'no-file', { kind: 'file', file: 'nothing.mp4' }],
    ['a camera that is not plugged in', 'not-found', { kind: 'device', path: '/dev/video99' }],
  ];
  for (const [what, code, feed, more = {}] of asked) {
    const report = await probe(feed, more);
    assert.deepEqual([report.ok, report.code], [false, code], `${what}: ${JSON.stringify(report)}`);
  }
  const strange = await SimulatedCamera.start({ port: 0, rtspPort: 0, ...who, place: 'seed-vault', codec: 'own', hour: () => 12 });
  t.after(() => strange.stop());
  const unread = await probe({ kind: 'rtsp', url: `rtsp://127.0.0.1:${strange.rtspPort}/small`, user }, right);
  assert.deepEqual([unread.ok, unread.code], [false, 'wrong-codec'], JSON.stringify(unread));
  const noise = await probe({ kind: 'multipart', url: `http://127.0.0.1:${garbagePort}/` });
  assert.equal(noise.ok, false);
  const nothing = probe({ kind: 'rtsp', url: `rtsp://127.0.0.1:${silentPort}/x` });
  assert.equal((await nothing).ok, false, 'who never answers is given up');
});

test('an address of another scheme is refused before anything is asked', async () => {
  await assert.rejects(probe({ kind: 'still', url: 'file:///etc/passwd' }), /no address|no name of a file/);
  await assert.rejects(probe({ kind: 'file', file: '../login.json' }), /no address|no name of a file/);
});

test('who comes through the door is named, crosses the line and is counted', async () => {
  // On a busy machine few pictures come, and the first who passes may be seen too late.
  const crossed = await eventOf('line.crossed', 'palm-house').catch(() => eventOf('line.crossed', 'palm-house'));
  assert.equal(crossed?.data.label, 'person');
  assert.equal(crossed?.mark, 'door');
  const { items } = await garden.service.client.call('counters', { params: { site } });
  const [door] = items;
  assert.ok(door.in + door.out >= 1, JSON.stringify(door));
  const after = await garden.service.client.call('resetCounter', { params: { site, camera: 'palm-house', mark: 'door' } });
  assert.deepEqual([after.in, after.out, after.inside], [0, 0, 0]);
});

test('what moved is remembered, and other settings are tried on it', async () => {
  const params = { site, key: 'palm-house' };
  const asIs = await garden.service.client.call('replay', { params, body: {} });
  assert.ok(asIs.pictures > 5 && asIs.counts.before >= 1 && asIs.counts.go === 0, JSON.stringify(asIs.counts));
  const strict = await garden.service.client.call('replay', { params, body: { watching: { smallest: '50%' } } });
  assert.equal(strict.counts.after, 0);
  assert.equal(strict.counts.go, asIs.counts.before);
  const suggested = await garden.service.client.call('suggest', { params, body: { seconds: 600 } });
  assert.ok(suggested.events >= 1 && Object.keys(suggested.watching).length === 1, JSON.stringify(suggested));
});

test('a recogniser that fails is told, motion goes on, and it is told when it works again', async () => {
  recogniser.behaviour = 'wrong';
  const failing = await eventOf('recogniser.failing', 'bench');
  assert.match(failing?.data.reason ?? '', /wrong answer/);
  const state = (await cameras()).find(({ key }) => key === 'palm-house')?.state;
  assert.deepEqual([state?.state, state?.recogniser?.state], ['live', 'failing']);
  recogniser.behaviour = 'well';
  await eventOf('recogniser.working', 'bench');
});

test('a covered lens is told with a picture of before and after, and that it sees well again', async () => {
  device.conditions.covered = true;
  const covered = await eventOf('view.covered', 'by-stills');
  assert.ok(covered?.still && covered.data.before && covered.still !== covered.data.before);
  device.conditions.covered = false;
  await eventOf('view.cleared', 'by-stills');
});

test('a frozen picture is told, and its end', async () => {
  device.conditions.frozen = true;
  await eventOf('camera.frozen', 'by-stills');
  device.conditions.frozen = false;
  await eventOf('camera.restored', 'by-stills');
});

test('without its device every kind of feed is lost, says why, and comes back by itself', async () => {
  const [port, rtspPort] = [device.port, device.rtspPort];
  await device.stop();
  const kinds = ['by-stills', 'by-rtsp', 'by-onvif'];
  const lost = await camerasAre((all) => all.filter(({ state }) => state.state === 'lost').length === kinds.length);
  assert.deepEqual(
    lost.filter(({ state }) => state.state === 'lost').map(({ key }) => key),
    kinds,
  );
  for (const key of kinds) await eventOf('camera.lost', key);
  device = await SimulatedCamera.start({ port, rtspPort, ...who, place: 'seed-vault', hour: () => 12 });
  await camerasAre((all) => all.every(({ state }) => state.state === 'live'));
  for (const key of kinds) await eventOf('camera.restored', key);
});
