import assert from 'node:assert/strict';
import { mkdtemp, readFile, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { after, before, test } from 'node:test';
import { Garden } from './at-work/garden.js';
import { site } from './at-work/service.js';

let garden: Garden;
let folder: string;
before(async () => {
  folder = await mkdtemp(path.join(tmpdir(), 'causalis-log-'));
  garden = await Garden.open({
    env: { CAUSALIS_LOG: 'info', CAUSALIS_LOG_FILE: path.join(folder, 'service.log') },
    document: (text) =>
      text
        .replace(/ +picture: { still: {} }\n/, '')
        .replace(', with: picture }', ' }')
        .replace(', needs: [{ action: picture, for: 5s, else: go }]', ''),
  });
});
after(async () => {
  await garden?.close();
  await rm(folder, { recursive: true, force: true });
});

const ended = async () => {
  const event = await garden.visit();
  await garden.service.chainWhen(event, ({ firings }) => firings[0]?.actions.every(({ state }) => state === 'ended'));
  return event;
};

test('figures are OpenMetrics: what came, what fired, what was tried, and how long it took', async () => {
  await ended();
  const answer = await garden.service.client.raw('metrics');
  assert.match(answer.headers.get('content-type') ?? '', /^application\/openmetrics-text; version=1\.0\.0/);
  const text = await answer.text();
  assert.match(text, /# EOF\n$/);
  for (const line of [
    `causalis_events_total{site="${site}",kind="motion.began"} 1`,
    `causalis_attempts_total{site="${site}",output="depot-desk",outcome="accepted"} 1`,
    'causalis_ledger_up 1',
  ])
    assert.ok(text.includes(`${line}\n`), `${line}\n${text.slice(0, 3_000)}`);
  // After closing time the rule that records fires as well.
  assert.match(text, /^causalis_firings_total\{site="quillmere"\} [12]$/m);
  for (const name of [
    'causalis_commit_seconds_bucket',
    'causalis_batch_entries_count',
    'causalis_answer_seconds_sum',
    'nodejs_eventloop_lag_p99_seconds',
  ])
    assert.match(text, new RegExp(`^${name}`, 'm'));
  assert.equal((await fetch(`${garden.service.url}/metrics`)).status, 401);
});

test('one id leads through the log from the event to the last receipt', async () => {
  await garden.service.after(60_000);
  const event = await ended();
  await garden.service.chainWhen(event, ({ firings }) => firings[0]?.actions[0].deliveries.some(({ receipts }) => receipts.length > 0));
  await garden.service.down();
  const lines = (await readFile(garden.service.logFile, 'utf8'))
    .split('\n')
    .filter(Boolean)
    .map((line) => JSON.parse(line) as { msg: string; event?: string; delivery?: string });
  await garden.service.up();
  const own = lines.filter((line) => line.event === event).map(({ msg }) => msg);
  assert.equal(own[0], 'event');
  assert.equal(own.filter((msg) => msg === 'to be delivered').length, 3);
  assert.equal(own.filter((msg) => msg === 'delivered').length, 3);
  const deliveries = new Set(lines.filter((line) => line.event === event).map(({ delivery }) => delivery));
  assert.ok(lines.some(({ msg, delivery }) => msg === 'read-back' && deliveries.has(delivery)));
});

test('events are listed by rule, source, kind and time, and by pairs of them', async () => {
  const { client } = garden.service;
  await garden.service.after(60_000);
  const middle = new Date().toISOString();
  const visit = await ended();
  const ids = async (query: object) =>
    (await client.call('events', { params: { site }, query: { limit: 100, ...query } as never })).items.map(({ id }) => id);
  assert.equal((await ids({ rule: 'night-visitor' })).length, 3);
  assert.deepEqual(await ids({ rule: 'night-visitor', from: middle }), [visit]);
  assert.equal((await ids({ rule: 'night-visitor', until: middle })).length, 2);
  assert.equal((await ids({ rule: 'night-visitor', kind: 'motion.began', source: 'gatehouse' })).length, 3);
  assert.deepEqual(await ids({ rule: 'known-face' }), []);
  assert.deepEqual(await ids({ source: 'gatehouse', kind: 'motion.began', from: middle }), [visit]);
});
