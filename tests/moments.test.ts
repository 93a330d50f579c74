import assert from 'node:assert/strict';
import { readdir } from 'node:fs/promises';
import path from 'node:path';
import { after, before, test } from 'node:test';
import type { Chain } from '@causalis/contract';
import { type Moment, moments } from '@causalis/service';
import { ask } from './at-work/database.js';
import { Garden } from './at-work/garden.js';
import { site } from './at-work/service.js';

/** Everything that can be lost hangs on this rule: a lamp for a time, a picture, a mail that needs it, a call. */
const everything = `
  everything:
    title: Somebody is at the desk
    active: true
    cause: { event: hook.called, at: face-desk }
    actions:
      floods: { set: drive-floods, to: { power: true }, for: 20s }
      picture: { still: { camera: gatehouse } }
      message: { tell: keeper, words: "{who} is at the desk", with: picture }
      desk: { call: depot-desk }
`;
const onlyEverything = (text: string) => `${text.replaceAll('active: true', 'active: false')}${everything}`;
const withoutPicture = (text: string) =>
  onlyEverything(text)
    .replace(/ +picture: { still: {.*\n/g, '')
    .replaceAll(', with: picture }', ' }');
const actions = ['floods', 'message', 'desk'] as const;

let garden: Garden;
let watched: Garden;
before(async () => {
  garden = await Garden.open({ document: withoutPicture });
});
after(async () => {
  await garden?.close();
  await watched?.close();
});

const deliveries = (chain: Chain) => chain.firings.flatMap(({ actions }) => actions.flatMap((action) => action.deliveries));
const arrived = (chain: Chain) =>
  actions.every((name) => deliveries(chain).some(({ action, back, state }) => action === name && !back && state === 'delivered'));
const wentBack = (chain: Chain) => deliveries(chain).some(({ back, state }) => back && state === 'delivered');

/** Reports the same arrival until it is accepted, as whoever wants to be sure of it does. */
async function report(at: Garden, who: string): Promise<string> {
  for (;;) {
    const id = await at.service.send('hook.called', 'hooks/face-desk', { who }, who).catch(() => undefined);
    if (id) return id;
  }
}

/** What the stand-ins, which no kill reaches, have received of a chain: by key how often. */
function received(at: Garden, chain: Chain): Map<string, number> {
  const times = new Map<string, number>();
  const count = (key: string) => times.set(key, (times.get(key) ?? 0) + 1);
  for (const { key } of at.calls.calls) count(key);
  for (const { id } of at.mailbox?.mails ?? []) count(id.slice(1).split('@')[0]);
  for (const { key } of at.lamp.changes) count(key);
  const own = new Set(deliveries(chain).map(({ key }) => key));
  return new Map([...times].filter(([key]) => own.has(key)));
}

/** What must be done for a moment to come; without more it is an arrival. */
const coming: Partial<Record<Moment, (who: string) => Promise<unknown>>> = {
  'timer-due': async (who) => {
    await garden.service.chainWhen(await report(garden, who), arrived);
    return () => garden.service.after(21_000);
  },
  'going-back': async (who) => {
    await garden.service.chainWhen(await report(garden, who), arrived);
    return () => garden.service.after(21_000);
  },
  taken: async (who) => {
    await garden.closeMailbox();
    await garden.service.chainWhen(await report(garden, who), (chain) =>
      deliveries(chain).some(({ action, state }) => action === 'message' && state === 'retrying'),
    );
    await garden.openMailbox();
    return () => garden.service.after(5_000);
  },
};

const twice: Moment[] = [];

for (const moment of Object.keys(moments) as Moment[]) {
  if (moment === 'evidence-written' || moment === 'recovered') continue;
  test(`killed when ${moments[moment]} (${moment}): nothing is lost, nothing repeated without its key`, async () => {
    const who = `visitor ${moment}`;
    const trigger = ((await coming[moment]?.(who)) ?? (() => report(garden, who))) as () => Promise<unknown>;
    const { gone } = await garden.service.endAt(moment);
    const triggered = trigger();
    await gone;
    await garden.service.up();
    await triggered;
    await whole(garden, moment, who);
  });
}

test('killed once more at its next start: what was left is still recovered', async () => {
  const who = 'visitor recovered';
  const { gone } = await garden.service.endAt('sending');
  const triggered = report(garden, who);
  await gone;
  await assert.rejects(garden.service.up('recovered'));
  await garden.service.up();
  await triggered;
  await whole(garden, 'recovered', who);
});

test('killed when a picture is written and nothing names it: the rest arrives, and the file goes', async () => {
  watched = await Garden.open({ document: onlyEverything, camera: {} });
  const { service } = watched;
  await service.when(
    () => service.client.call('cameras', { params: { site } }),
    ({ items }) => items[0].state.state === 'live',
  );
  const { gone } = await service.endAt('evidence-written');
  const triggered = report(watched, 'visitor evidence-written');
  await gone;
  await service.up();
  await triggered;
  await whole(watched, 'evidence-written', 'visitor evidence-written');
  // What nothing names is swept at a start, when it is not just being written.
  await service.after(120_000);
  await service.kill();
  await service.up();
  const named = new Set(
    (await ask<{ path: string }>(service.databaseUrl, 'SELECT path FROM media')).map(({ path: name }) => path.basename(name)),
  );
  const files = await readdir(path.join(service.home, 'media'), { recursive: true, withFileTypes: true });
  assert.deepEqual(
    files.filter((entry) => entry.isFile() && !named.has(entry.name)).map(({ name }) => name),
    [],
  );
});

/** The chain ends whole: every delivery arrived under one key, its event is there once, and the lamp is off again. */
async function whole(at: Garden, moment: Moment, who: string): Promise<void> {
  const { service } = at;
  const id = await report(at, who);
  const { items } = await service.client.call('events', { params: { site }, query: { limit: 100, kind: 'hook.called' } });
  assert.equal(items.filter((event) => event.data.who === who).length, 1, 'its event is there once');
  // The mail waits for its picture until that has expired, at the latest.
  if (at.camera) await service.after(61_000);
  await service.chainWhen(id, arrived);
  await service.after(21_000);
  const chain = await service.chainWhen(id, wentBack);
  // A picture of the moment may be gone with the process that had it; whatever became of it, nothing else waits for ever.
  assert.deepEqual(
    deliveries(chain)
      .filter(({ action }) => action !== 'picture')
      .map(({ action, back, state }) => `${action}${back ? ' back' : ''} ${state}`)
      .sort(),
    ['desk delivered', 'floods back delivered', 'floods delivered', 'message delivered'],
  );
  const times = received(at, chain);
  for (const { action, key } of deliveries(chain)) if (action !== 'picture') assert.ok(times.has(key), `${action} was received`);
  if ([...times.values()].some((count) => count > 1)) twice.push(moment);
  assert.equal(at.lamp.power, false);
}

test('a kill after the answer is received twice under one key, and can be told by it', () => {
  assert.ok(twice.includes('sent'), `received twice: ${twice.join(', ')}`);
});
