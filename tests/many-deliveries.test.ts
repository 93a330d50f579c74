import assert from 'node:assert/strict';
import { after, before, test } from 'node:test';
import type { Delivery } from '@causalis/contract';
import { createConnection } from 'mariadb';
import { freshDatabase } from './at-work/database.js';
import { Garden } from './at-work/garden.js';
import { site } from './at-work/service.js';

const count = 100_000;
let garden: Garden;
let database: Awaited<ReturnType<typeof freshDatabase>>;
before(async () => {
  database = await freshDatabase();
  garden = await Garden.open({ databaseUrl: database.url });
  const { hostname, port, username, password, pathname } = new URL(database.url.replace(/^mariadb:/, 'http:'));
  const connection = await createConnection({ host: hostname, port: Number(port), user: username, password, database: pathname.slice(1) });
  // A year of deliveries: one in a hundred failed, one in ten thousand to somebody else.
  await connection.query(`INSERT INTO deliveries
    (site, id, firing, event, rule, action, output, recipient, state, lane, created, ended, back, test, attempts, content)
    SELECT 1, UNHEX(CONCAT(LPAD(HEX(1700000000000 + seq), 12, '0'), '70008000', LPAD(HEX(seq), 12, '0'))), REPEAT('a', 16), REPEAT('b', 16),
      IF(seq % 2, 'night-visitor', 'camera-lost'), 'message', 'mail', IF(seq % 10000 = 0, 'second@quillmere.example', 'keeper@quillmere.example'),
      IF(seq % 100 = 0, 'failed', 'delivered'), seq % 3, '2023-11-14 22:13:20', '2023-11-14 22:13:21', 0, 0, 1,
      '{"verb":"tell","stills":[]}'
    FROM seq_1_to_${count}`);
  await connection.end();
});
after(async () => {
  await garden.close();
  await database.drop();
});

async function all(query: object): Promise<Delivery[]> {
  const found: Delivery[] = [];
  let before: string | undefined;
  do {
    const page = await garden.service.client.call('deliveries', {
      params: { site },
      query: { ...query, limit: 200, ...(before ? { before } : {}) } as never,
    });
    found.push(...page.items);
    before = page.next;
  } while (before);
  return found;
}

test('of a hundred thousand deliveries each filter finds its own, page by page, each once, newest first', async () => {
  const failed = await all({ state: 'failed' });
  assert.equal(failed.length, count / 100);
  assert.equal(new Set(failed.map(({ id }) => id)).size, failed.length);
  assert.deepEqual(
    failed.map(({ id }) => id),
    failed
      .map(({ id }) => id)
      .sort()
      .reverse(),
  );
  assert.equal((await all({ recipient: 'second@quillmere.example' })).length, count / 10_000);
  assert.equal((await all({ state: 'failed', rule: 'camera-lost' })).length, count / 100);
  assert.equal((await all({ state: 'failed', rule: 'night-visitor' })).length, 0);
  const page = await garden.service.client.call('deliveries', { params: { site }, query: { output: 'mail', limit: 50 } });
  assert.equal(page.items.length, 50);
  assert.ok(page.next);
});

test('what came long ago is tried by hand as what came now, and the rest stays as it is', async () => {
  const { client } = garden.service;
  const { items } = await client.call('outputs', { params: { site } });
  assert.ok(items.find(({ key }) => key === 'mail')?.lastFailed);
  const status = await client.call('status', { params: { site } });
  assert.deepEqual(status.deliveries, { open: 0, failedLastDay: 0 });
});
