import assert from 'node:assert/strict';
import { after, before, test } from 'node:test';
import { SimulatedCamera } from '@causalis/standins';
import { freePort } from '@causalis/start';
import { Garden, passwords } from './at-work/garden.js';
import { site } from './at-work/service.js';

// Twelve cameras that share what a group says: one change reaches all, whoever differs shows it, who comes or goes
// disturbs nobody, and one rule is about any of them.
const keys = Array.from({ length: 12 }, (_, i) => `bed-${i + 1}`);
const differs = 'bed-5';
const params = { site };
let garden: Garden;
let seen: SimulatedCamera;

const bed = (key: string, feed: string) =>
  `  ${key}: { title: ${key}, group: beds, feeds: { main: ${feed} }${key === differs ? ', watching: { difference: 30 }' : ''} }\n`;
let away = '';

before(async () => {
  seen = await SimulatedCamera.start({ port: 0, user: 'causalis', password: passwords.gatehouse, place: 'seed-vault', hour: () => 12 });
  seen.conditions.empty = true;
  away = `{ kind: still, url: "http://127.0.0.1:${await freePort()}/x.jpg" }`;
  const alive = `{ kind: multipart, url: "http://127.0.0.1:${seen.port}/small", user: causalis, password: { secret: gatehouse } }`;
  const cameras = keys.map((key, i) => bed(key, i === 0 ? alive : away)).join('');
  const rule = `
  a-bed-is-lost:
    title: A bed cannot be seen
    active: true
    cause: { event: camera.lost, at: { group: beds } }
    cooldown: { for: 10m, per: camera }
    actions:
      floods: { set: drive-floods, to: { power: true }, for: 20s }
      message: { tell: keeper, words: "{camera} gives no pictures since {time}" }
      desk: { call: depot-desk }
`;
  garden = await Garden.open({
    document: (text) =>
      `${text
        .replace('\ngroups:\n', '\ngroups:\n  beds: { title: Beds, watching: { difference: 12, at-least: 600ms } }\n')
        .replace('\ncameras:\n', `\ncameras:\n${cameras}`)}${rule}`,
  });
});
after(async () => {
  await garden.close();
  await seen.stop();
});

const inForce = async (key: string) => (await garden.service.client.call('camera', { params: { site, key } })).watching;
const difference = async (key: string) => {
  const { value, from } = (await inForce(key)).find(({ name, dark }) => name === 'difference' && !dark) ?? {};
  return `${value} ${from}`;
};
const documentWith = async (change: (text: string) => string) =>
  change(await (await garden.service.client.raw('document', { params, headers: { accept: 'application/yaml' } })).text());

test('what a group says holds for all in it, and whoever differs shows where the value comes from', async () => {
  for (const key of keys) assert.equal(await difference(key), key === differs ? '30 camera' : '12 group', key);
});

test('before a change of the group is applied it is said what becomes of each camera', async () => {
  const next = await documentWith((text) => text.replace(/difference: 12\b/, 'difference: 17'));
  const preview = await garden.service.client.call('preview', { params, body: next });
  assert.deepEqual(
    preview.watching
      .map(({ camera, name, before, after, own }) => `${camera} ${name} ${own ? 'keeps its own' : `${before} ${after}`}`)
      .sort(),
    keys.map((key) => `${key} difference ${key === differs ? 'keeps its own' : '12 17'}`).sort(),
  );
  assert.equal(await difference('bed-2'), '12 group', 'nothing has happened yet');
  await garden.service.client.call('apply', { params, body: next });
  for (const key of keys) assert.equal(await difference(key), key === differs ? '30 camera' : '17 group', key);
});

test('one rule is about all of a group: the loss of each has its own lamp, mail and call', async () => {
  const lost = await garden.service.when(
    async () => (await garden.service.client.call('events', { params, query: { limit: 50, kind: 'camera.lost' } })).items,
    (events) => new Set(events.map(({ source }) => source.key)).size >= keys.length - 1,
    ({ kind }) => kind === 'event',
  );
  const chain = await garden.service.chainWhen(lost[0].id, ({ firings }) =>
    firings.some(({ rule, actions }) => rule === 'a-bed-is-lost' && actions.every(({ state }) => state === 'ended')),
  );
  const firing = chain.firings.find(({ rule }) => rule === 'a-bed-is-lost');
  assert.deepEqual(firing?.actions.map(({ name }) => name).sort(), ['desk', 'floods', 'message']);
  assert.ok(!lost.some(({ source }) => source.key === 'bed-1'), 'the one that is seen is not lost');
});

test('who is watched goes on undisturbed when others come and go', async () => {
  const state = async () => (await garden.service.client.call('cameras', { params })).items.find(({ key }) => key === 'bed-1')?.state;
  const settled = await garden.service.when(
    state,
    (one) => one?.state === 'live' && one.settling === false,
    ({ kind }) => kind === 'camera',
  );
  const unsettled: string[] = [];
  const end = new AbortController();
  const following = (async () => {
    for await (const message of garden.service.client.follow(site, end.signal))
      if (message.kind === 'camera' && message.camera.key === 'bed-1' && message.camera.state.settling) unsettled.push('settling');
  })().catch(() => undefined);
  // Others before it and behind it, more than one process carries, and away again.
  const more = Array.from({ length: 30 }, (_, i) => bed(`a-bed-${i}`, away)).join('');
  const before = await documentWith((text) => text);
  const { revision } = await garden.service.client.call('apply', { params, body: before.replace('\ncameras:\n', `\ncameras:\n${more}`) });
  await garden.service.client.call('apply', { params, body: before.replace(/^revision: .*/m, `revision: ${revision}`) });
  const now = await garden.service.when(state, (one) => one !== undefined);
  end.abort();
  await following;
  assert.deepEqual([now?.state, now?.since, unsettled], ['live', settled?.since, []]);
});
