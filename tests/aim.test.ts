import assert from 'node:assert/strict';
import { after, before, test } from 'node:test';
import { SimulatedCamera } from '@causalis/standins';
import { freePort } from '@causalis/start';
import { Garden, passwords } from './at-work/garden.js';
import { site } from './at-work/service.js';

// What is aimed at, through the running service: counts at a door, a line for one direction, the plank beside wading
// herons, a shelf where any change counts, a camera that is turned by hand, values that change with the sun.
let garden: Garden;
let vault: SimulatedCamera;
let pond: SimulatedCamera;
const who = { user: 'causalis', password: passwords.gatehouse };
const signIn = 'user: causalis, password: { secret: gatehouse }';
const position = { latitude: 52, longitude: -11.5 };

before(async () => {
  vault = await SimulatedCamera.start({ port: 0, ...who, place: 'seed-vault', hour: () => 12 });
  pond = await SimulatedCamera.start({ port: 0, ...who, place: 'lily-pond', hour: () => 12 });
  vault.conditions.empty = true;
  pond.conditions.herons = true;
  const nobody = await freePort();
  const cameras = `
  palm-house:
    title: Palm house
    feeds: { main: { kind: still, url: "http://127.0.0.1:${nobody}/x.jpg" } }
    marks:
      door: { line: [[0.72, 0.66], [0.28, 0.66]], in: left, counter: { label: person, reset: "18:00", thresholds: { inside: 3 } } }
      steps: { line: [[0.2, 0.9], [0.8, 0.9]], in: left }
  lily-pond:
    title: Lily pond
    feeds: { main: { kind: multipart, url: "http://127.0.0.1:${pond.port}/small", ${signIn} } }
    marks:
      water: { zone: [[0, 0.36], [0.62, 0.36], [0.62, 0.5], [1, 0.5], [1, 1], [0, 1]] }
      plank: { zone: [[0.63, 0.14], [0.94, 0.14], [0.94, 0.46], [0.63, 0.46]] }
    watching: { smallest: 0.2% }
  seed-vault:
    title: Seed vault
    feeds: { main: { kind: multipart, url: "http://127.0.0.1:${vault.port}/small", ${signIn} } }
    marks:
      corridor: { zone: [[0.1, 1], [0.36, 0.3], [0.64, 0.3], [0.9, 1]] }
      shelf: { zone: [[0.66, 0.28], [0.96, 0.28], [0.96, 0.58], [0.66, 0.58]], every-change: true }
`;
  const rules = `
  up-the-steps:
    title: Somebody comes up the steps
    active: true
    cause: { event: line.crossed, at: palm-house, mark: steps, direction: in, label: person }
`;
  garden = await Garden.open({
    document: (text) =>
      `${text
        .replace('timezone: Europe/Dublin', `timezone: Europe/Dublin\n  position: ${JSON.stringify(position)}`)
        .replace('\ninputs:', `${cameras}\ninputs:`)}${rules}`,
  });
});
after(async () => {
  await garden.close();
  await Promise.all([vault.stop(), pond.stop()]);
});

const params = { site };
const list = async (source: string, kind?: string) =>
  (await garden.service.client.call('events', { params, query: { limit: 100, source, ...(kind ? { kind: kind as never } : {}) } })).items;
const eventOf = (source: string, kind: string, mark?: string) =>
  garden.service.when(
    async () => (await list(source, kind)).find((event) => mark === undefined || event.mark === mark),
    (event) => event !== undefined,
    ({ kind: one }) => one === 'event',
  );
const stateOf = async (key: string) =>
  (await garden.service.client.call('cameras', { params })).items.find((one) => one.key === key)?.state;
const stateIs = (key: string, wanted: (state: NonNullable<Awaited<ReturnType<typeof stateOf>>>) => boolean) =>
  garden.service.when(
    () => stateOf(key),
    (state) => state !== undefined && wanted(state),
    ({ kind }) => kind === 'camera',
  );
const crosses = (mark: string, direction: 'in' | 'out', label = 'person') =>
  garden.service.send('line.crossed', 'cameras/palm-house', { mark, direction, label });
const door = async () => {
  const { items } = await garden.service.client.call('counters', { params });
  return items.find(({ mark }) => mark === 'door');
};

test('visitors are counted in and out over a restart; the threshold speaks again only after falling below; closing begins anew', async () => {
  for (let i = 0; i < 4; i++) await crosses('door', 'in');
  await crosses('door', 'in', 'vehicle');
  assert.deepEqual([(await door())?.in, (await door())?.inside], [4, 4], 'a barrow is no visitor');
  assert.equal((await list('palm-house', 'count.reached')).length, 1, 'it is reached once, not with each further one');
  await garden.service.kill();
  await garden.service.up();
  assert.deepEqual([(await door())?.in, (await door())?.inside], [4, 4]);
  for (let i = 0; i < 2; i++) await crosses('door', 'out');
  await crosses('door', 'in');
  const reached = await list('palm-house', 'count.reached');
  assert.deepEqual([reached.length, reached[0].data.counts], [2, { in: 5, out: 2, inside: 3 }]);
  await garden.service.jump(86_400_000);
  assert.deepEqual([(await door())?.in, (await door())?.out, (await door())?.inside], [0, 0, 0]);
});

test('a line for one direction and persons only: the other way and vehicles are nothing', async () => {
  const [up, down, barrow] = [await crosses('steps', 'in'), await crosses('steps', 'out'), await crosses('steps', 'in', 'vehicle')];
  const firedBy = async (event: string) => (await garden.service.chain(event)).verdicts.filter(({ verdict }) => verdict === 'fired').length;
  assert.deepEqual([await firedBy(up), await firedBy(down), await firedBy(barrow)], [1, 0, 0]);
});

test('while herons keep the water busy, who crosses the plank is an event at once', async () => {
  const water = await eventOf('lily-pond', 'motion.began', 'water');
  const plank = await eventOf('lily-pond', 'motion.began', 'plank');
  assert.ok(water?.still && plank?.still, 'each with its picture, though no rule is about them');
  assert.ok(Date.parse(plank.seen) - Date.parse(plank.time) < 2_000, 'at once');
});

test('a lamp is no motion in the corridor and nobody’s meddling; on the shelf any change counts', async () => {
  await stateIs('seed-vault', ({ state, settling }) => state === 'live' && settling === false);
  const before = (await list('seed-vault')).length;
  vault.conditions.lamp = false;
  await eventOf('seed-vault', 'motion.began', 'shelf');
  vault.conditions.lamp = true;
  await eventOf('seed-vault', 'motion.ended', 'shelf');
  const others = (await list('seed-vault'))
    .slice(0, -before || undefined)
    .filter(({ mark, kind }) => mark !== 'shelf' || kind.startsWith('view.'));
  assert.deepEqual(
    others.map(({ kind, mark }) => `${kind} ${mark ?? ''}`),
    [],
  );
});

test('a camera that is turned by hand is told, with the picture of before and after', async () => {
  vault.conditions.turned = true;
  const moved = await eventOf('seed-vault', 'view.moved');
  assert.ok(moved?.still && moved.data.before && moved.still !== moved.data.before);
  vault.conditions.turned = false;
  await eventOf('seed-vault', 'view.cleared');
});

test('values for the dark come with the night and go with the day', async () => {
  const now = Date.now();
  const hourOfDay = (hour: number) => {
    const at = new Date(now + 2 * 86_400_000);
    at.setUTCHours(hour, 30, 0, 0);
    return at.getTime();
  };
  // The clock was moved on by a day before.
  await garden.service.jump(hourOfDay(1) - now - 86_400_000);
  await garden.service.after(31_000);
  await stateIs('lily-pond', ({ dark }) => dark === true);
  await garden.service.jump(hourOfDay(13) - hourOfDay(1));
  await garden.service.after(31_000);
  await stateIs('lily-pond', ({ dark }) => dark !== true);
});
