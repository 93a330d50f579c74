import assert from 'node:assert/strict';
import { after, before, test } from 'node:test';
import { readLive } from '@causalis/client';
import type { Camera, LiveFrame } from '@causalis/contract';
import { SimulatedCamera } from '@causalis/standins';
import { WebSocket } from 'undici';
import { Garden, passwords } from './at-work/garden.js';
import { site } from './at-work/service.js';

// The first hour with a camera: nothing is drawn and no rule is there. Its level is watched, the drive is drawn, road and
// birch are left out, ordinary minutes give a suggestion, a walker counts and a van does not, and by night it is another.
const params = { site };
const key = 'gatehouse';
let garden: Garden;
let camera: SimulatedCamera;

before(async () => {
  camera = await SimulatedCamera.start({ port: 0, user: 'causalis', password: passwords.gatehouse, hour: () => 12 });
  const feed = `{ kind: multipart, url: "http://127.0.0.1:${camera.port}/small", user: causalis, password: { secret: gatehouse } }`;
  garden = await Garden.open({
    document: (text) => {
      const [itself] = /^site:[\s\S]*?\n(?=\w)/m.exec(text) ?? [''];
      return `causalis: 1\n${itself}  position: { latitude: 52, longitude: -11.5 }\ncameras:\n  ${key}: { title: Gatehouse drive, feeds: { main: ${feed} } }\n`;
    },
  });
});
after(async () => {
  await garden.close();
  await camera.stop();
});

/** Looks at the camera live until what was seen is enough; all frames that were seen. */
async function look(enough: (frame: LiveFrame) => boolean): Promise<LiveFrame[]> {
  const socket = new WebSocket(`${garden.service.url.replace('http', 'ws')}/api/v1/sites/${site}/live`, {
    headers: { authorization: `Bearer ${garden.service.token}` },
  });
  socket.binaryType = 'arraybuffer';
  const frames: LiveFrame[] = [];
  try {
    await new Promise<void>((resolve, reject) => {
      const late = setTimeout(() => reject(new Error(`not seen in ${frames.length} pictures: ${JSON.stringify(frames.at(-1))}`)), 100_000);
      socket.addEventListener('open', () => socket.send(JSON.stringify({ cameras: [key] })));
      socket.addEventListener('error', () => reject(new Error('the live connection was refused')));
      socket.addEventListener('message', ({ data }) => {
        const { frame } = readLive(data as ArrayBuffer);
        frames.push(frame);
        if (!enough(frame)) return;
        clearTimeout(late);
        resolve();
      });
    });
  } finally {
    socket.close();
  }
  return frames;
}
const events = async (kind: 'motion.began' | 'motion.ended' = 'motion.began') =>
  (await garden.service.client.call('events', { params, query: { limit: 100, kind, source: key } })).items;
const change = async (to: (item: Camera) => object) => {
  const { revision } = (await garden.service.client.call('status', { params })).site;
  const item = (await garden.service.client.call('item', { params: { site, section: 'cameras', key } })) as unknown as Camera;
  return await garden.service.client.call('putItem', {
    params: { site, section: 'cameras', key },
    headers: { 'if-match': `"${revision}"` },
    body: { ...item, ...to(item) },
  });
};
const drive = [
  [0.08, 0.55],
  [0.92, 0.5],
  [1, 1],
  [0, 1],
];
const road = [
  [0, 0.2],
  [1, 0.2],
  [1, 0.4],
  [0, 0.42],
];

test('without a mark the whole picture is watched, its level is live, and whatever moves is an event with its picture', async () => {
  const frames = await look(({ zones }) => zones.some(({ state }) => state === 'moving'));
  const [zone] = frames.at(-1)?.zones ?? [];
  assert.equal(zone.zone, 'picture');
  assert.ok(zone.level >= zone.threshold && zone.differs >= zone.difference, JSON.stringify(zone));
  const began = await garden.service.when(
    events,
    (found) => found.length > 0,
    ({ kind }) => kind === 'event',
  );
  assert.ok(began[0].still && began[0].data.box, 'with its picture and where it was');
  assert.deepEqual(began[0].verdicts, [], 'though no rule is there');
});

test('a mark that is no outline is refused with its place, and what was there stays', async () => {
  const wrong = [
    { crossed: { zone: [drive[0], drive[2], drive[1], drive[3]] } },
    {
      outside: {
        zone: [
          [0, 0],
          [1.2, 0],
          [1, 1],
        ],
      },
    },
    { short: { line: [[0.5, 0.5]] } },
    {
      flat: {
        zone: [
          [0.1, 0.1],
          [0.5, 0.1],
          [0.9, 0.1],
        ],
      },
    },
  ];
  for (const marks of wrong) {
    const [name] = Object.keys(marks);
    await assert.rejects(
      change(() => ({ marks })),
      (error: Error & { findings?: { path: string[] }[] }) => JSON.stringify(error.findings ?? error.message).includes(name),
      name,
    );
  }
  await assert.rejects(
    change(() => ({ watching: { smallest: '5%', largest: '1%' } })),
    /./,
  );
  const item = (await garden.service.client.call('item', { params: { site, section: 'cameras', key } })) as unknown as Camera;
  assert.deepEqual([item.marks, item.watching], [{}, {}]);
});

test('ordinary minutes give one value that keeps them quiet, and the remembered day shows what it would do', async () => {
  await garden.service.when(
    () => events('motion.ended'),
    (ended) => ended.length > 0,
    ({ kind }) => kind === 'event',
  );
  const suggested = await garden.service.client.call('suggest', { params: { site, key }, body: { seconds: 600 } });
  assert.ok(suggested.events >= 1 && Object.keys(suggested.watching).length === 1, JSON.stringify(suggested));
  const quiet = await garden.service.client.call('replay', { params: { site, key }, body: { watching: suggested.watching } });
  assert.deepEqual([quiet.counts.after, quiet.counts.go], [0, quiet.counts.before]);
  const drawn = await garden.service.client.call('replay', {
    params: { site, key },
    body: { marks: { drive: { zone: drive as never }, road: { ignored: road as never } } },
  });
  assert.ok(
    drawn.stay.concat(drawn.come).every(({ zone }) => zone === 'drive'),
    'what would be is of the drive alone',
  );
});

test('on the drive a walker counts at once; vans on the road and the birch are seen, and why they do not count', async () => {
  await change(() => ({
    marks: { drive: { zone: drive }, road: { ignored: road } },
    watching: { difference: 10, threshold: '0.3%', smallest: '0.1%', dark: { difference: 18 } },
  }));
  const seen = new Set<string>();
  let counted = 0;
  await look((frame) => {
    for (const { verdict, box } of frame.blobs) if (verdict === 'outside' && box[1] < 0.4) seen.add('a van, outside');
    if (frame.zones.some(({ state }) => state === 'moving')) counted++;
    return counted > 0 && seen.size > 0;
  });
  const began = await garden.service.when(
    events,
    (found) => found.some(({ mark }) => mark === 'drive'),
    ({ kind }) => kind === 'event',
  );
  const walker = began.find(({ mark }) => mark === 'drive');
  assert.ok(walker?.still);
  const [left, top, wide, high] = walker.data.box ?? [0, 0, 0, 0];
  assert.ok(high > wide && top + high > 0.5, `somebody upright on the drive: ${[left, top, wide, high]}`);
  assert.ok(Date.parse(walker.seen) - Date.parse(walker.time) < 3_000, 'told within moments of the first step');
  assert.ok(
    began.every(({ mark }) => mark === 'drive' || mark === undefined || mark === 'picture'),
    'nothing of the road is any event',
  );
});

/** Sets the wall clock on to a time of the next day, and lets the sky be looked at. */
let moved = 0;
async function setTo(utcHour: number) {
  const now = Date.now() + moved;
  const at = new Date(now + 86_400_000);
  at.setUTCHours(utcHour, 30, 0, 0);
  await garden.service.jump(at.getTime() - now);
  await garden.service.after(31_000);
  moved = at.getTime() + 31_000 - Date.now();
}

test('when it grows dark the values for the dark are in force, and by day those of the day', async () => {
  await setTo(13);
  assert.equal((await look(({ state }) => state.dark !== true)).at(-1)?.zones[0].difference, 10);
  await setTo(1);
  const night = (await look(({ state }) => state.dark === true)).at(-1);
  assert.equal(night?.zones[0].difference, 18);
  assert.equal((await garden.service.client.call('camera', { params: { site, key } })).state.dark, true);
  await setTo(13);
  assert.equal((await look(({ state }) => state.dark !== true)).at(-1)?.zones[0].difference, 10);
});

test('a wall clock that is set, on or back, loses no camera and settles nothing anew', async () => {
  const lost = async () =>
    (await garden.service.client.call('events', { params, query: { limit: 100, kind: 'camera.lost', source: key } })).items.length;
  await look(({ state }) => state.settling === false);
  const before = await lost();
  for (const by of [3_600_000, -7_200_000]) {
    await garden.service.jump(by);
    let pictures = 0;
    const frames = await look(() => ++pictures >= 8);
    for (const { state } of frames) assert.deepEqual([state.state, state.settling], ['live', false]);
    assert.ok((frames.at(-1)?.state.rate ?? 0) < 8, 'and its pictures are counted as they come');
  }
  assert.equal(await lost(), before);
});
