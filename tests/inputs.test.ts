import assert from 'node:assert/strict';
import { after, before, test } from 'node:test';
import { connectAsync, type MqttClient } from 'mqtt';
import { Garden } from './at-work/garden.js';
import { site } from './at-work/service.js';

// Sensors over the site's broker: what they say is an event when it changes, a guard can read it, a rule can act on it.
let garden: Garden;
let sensors: MqttClient;
const rules = `
  tank-low:
    title: The tank is low
    active: true
    priority: urgent
    cause: { event: input.changed, at: tank-float, reading: low }
    guards: [{ reading: { frost: { above: 2 } } }]
    actions: { message: { tell: keeper, words: "The tank is low" } }
`;
before(async () => {
  garden = await Garden.open({ document: (text) => `${text}${rules}` });
  sensors = await connectAsync(/mqtt:[^"]+/.exec(garden.document)?.[0] ?? '');
});
after(async () => {
  await sensors.endAsync();
  await garden.close();
});

const say = (topic: string, payload: string) => sensors.publishAsync(`quillmere/${topic}`, payload, { qos: 1 });
const events = async (source: string) =>
  (await garden.service.client.call('events', { params: { site }, query: { limit: 20, source, kind: 'input.changed' } })).items;
const eventsAre = (source: string, n: number) =>
  garden.service.when(
    () => events(source),
    (items) => items.length >= n,
    ({ kind }) => kind === 'event',
  );

test('a reading is an event when it changes, and a rule is held and fires by another reading', async () => {
  await say('frost', '1.5');
  await eventsAre('frost', 1);
  await say('tank/float', '1');
  const [held] = await eventsAre('tank-float', 1);
  assert.deepEqual(held.data.reading, 'low');
  const chain = await garden.service.chain(held.id);
  const verdict = chain.verdicts.find(({ rule }) => rule === 'tank-low');
  assert.equal(verdict?.verdict, 'held');
  assert.match(JSON.stringify(verdict), /frost 1\.5/, 'with the value that it saw');

  await say('tank/float', '1');
  await say('tank/float', '0');
  await say('frost', '4');
  await eventsAre('frost', 2);
  await say('tank/float', '1');
  const items = await eventsAre('tank-float', 3);
  assert.deepEqual(
    items.map(({ data }) => `${data.from ?? ''}>${data.reading}`),
    ['ok>low', 'low>ok', '>low'],
    'what is said again is no change',
  );
  await garden.service.chainWhen(items[0].id, ({ firings }) => firings.some(({ rule }) => rule === 'tank-low'));
});

test('what a sensor says outlives a restart, and what cannot be read stands in the list of refused arrivals', async () => {
  await garden.service.kill();
  await garden.service.up();
  await say('tank/float', 'nonsense');
  const { items } = await garden.service.when(
    () => garden.service.client.call('refused', { params: { site }, query: { limit: 5 } }),
    ({ items: list }) => list.length > 0,
    () => true,
  );
  assert.deepEqual([items[0].source, items[0].reason], ['tank-float', 'unknown-reading']);
  await say('tank/float', '0');
  const [newest] = await eventsAre('tank-float', 4);
  assert.equal(newest.data.from, 'low', 'it was low before the restart');
});

test('CloudEvents come in binary mode and as a batch as they do structured, each once', async () => {
  const { url, token } = garden.service;
  const send = async (headers: Record<string, string>, body: unknown) => {
    const answer = await fetch(`${url}/api/v1/sites/${site}/events`, {
      method: 'POST',
      headers: { authorization: `Bearer ${token}`, ...headers },
      body: JSON.stringify(body),
    });
    return { status: answer.status, said: (await answer.json()) as { items: { id: string; repeated: boolean }[]; detail?: string } };
  };
  const binary = {
    'content-type': 'application/json',
    'ce-specversion': '1.0',
    'ce-id': 'button%20one',
    'ce-source': 'tests',
    'ce-type': 'hook.called',
    'ce-subject': 'hooks/face-desk',
  };
  const { status, said } = await send(binary, { who: 'Ada Marsh' });
  assert.equal(status, 200, said.detail);
  assert.equal((await garden.service.chain(said.items[0].id)).event.data.who, 'Ada Marsh');
  const { 'ce-subject': _, ...headless } = binary;
  assert.equal((await send(headless, {})).status, 422);

  const one = (id: string) => ({
    specversion: '1.0',
    id,
    source: 'tests',
    type: 'hook.called',
    subject: 'hooks/face-desk',
    data: { who: id },
  });
  const batch = await send({ 'content-type': 'application/cloudevents-batch+json' }, [one('button one'), one('button two')]);
  assert.equal(batch.status, 200);
  assert.deepEqual(
    batch.said.items.map(({ repeated }) => repeated),
    [true, false],
    'what came in binary mode before is known',
  );
});
