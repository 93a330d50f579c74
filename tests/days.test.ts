import assert from 'node:assert/strict';
import { after, before, test } from 'node:test';
import { atOneMoment, dropDays, openDatabase, prepareDays, takeDue, takeLease } from '@causalis/service';
import { ask, freshDatabase } from './at-work/database.js';
import { Garden } from './at-work/garden.js';

const day = 86_400_000;
const noon = Math.floor(Date.now() / day) * day + day / 2;
const daysAgo = (days: number) => noon - days * day;

let database: Awaited<ReturnType<typeof freshDatabase>>;
let garden: Garden;
before(async () => {
  database = await freshDatabase();
  const early = await openDatabase(database.url, daysAgo(5));
  await early.sequelize.close();
  for (const days of [4, 3, 2]) await prepareDays(database.url, daysAgo(days));
  garden = await Garden.open({ databaseUrl: database.url });
});
after(async () => {
  await garden?.close();
  await database?.drop();
});

/** A UUIDv7 of a moment (RFC 9562 §5.7). */
const idAt = (time: number, n: number) =>
  `${time
    .toString(16)
    .padStart(12, '0')
    .replace(/^(.{8})/, '$1-')}-7000-8000-${n.toString(16).padStart(12, '0')}`;
const bytes = (id: string) => Buffer.from(id.replaceAll('-', ''), 'hex');

/** A chain of some days ago: an event, its firing, its delivery in a state. */
async function oldChain(time: number, state: 'delivered' | 'retrying'): Promise<string> {
  const [event, firing, delivery] = [1, 2, 3].map((n) => idAt(time, n));
  const at = new Date(time);
  const run = (statement: string, values: unknown[]) => ask(database.url, statement, values);
  const content = { verb: 'tell', stills: [], event: { id: event }, rule: 'night-visitor', title: 'x', at: time };
  await run(
    `INSERT INTO events (site, id, number, revision, kind, section, source, time, seen, accepted, data, verdicts, fired, depth, test)
     VALUES (1, ?, 1, 1, 'hook.called', 'hooks', 'face-desk', ?, ?, ?, '{}', '[]', 1, 0, 0)`,
    [bytes(event), at, at, at],
  );
  await run(
    `INSERT INTO firings (site, id, event, kind, source, rule, title, priority, at, test, actions)
     VALUES (1, ?, ?, 'hook.called', 'face-desk', 'night-visitor', 'x', 'routine', ?, 0, '[]')`,
    [bytes(firing), bytes(event), at],
  );
  await run(
    `INSERT INTO deliveries (site, id, firing, event, rule, action, output, state, lane, created, back, test, attempts, content)
     VALUES (1, ?, ?, ?, 'night-visitor', 'message', 'mail', ?, 2, ?, 0, 0, 1, ?)`,
    [bytes(delivery), bytes(firing), bytes(event), state, at, JSON.stringify(content)],
  );
  await run(`INSERT INTO attempts (site, delivery, number, began, outcome, code) VALUES (1, ?, 1, ?, 'failed', 'no-answer')`, [
    bytes(delivery),
    at,
  ]);
  await run(`INSERT INTO receipts (site, delivery, at, kind, value) VALUES (1, ?, ?, 'read-back', 'on')`, [bytes(delivery), at]);
  return event;
}
const count = async (table: string, where = '1 = 1') =>
  Number((await ask<{ n: number }>(database.url, `SELECT COUNT(*) AS n FROM ${table} WHERE ${where}`))[0].n);
const parts = async () =>
  (
    await ask<{ name: string }>(
      database.url,
      `SELECT PARTITION_NAME AS name FROM information_schema.PARTITIONS WHERE TABLE_SCHEMA = DATABASE() AND TABLE_NAME = 'events'`,
    )
  ).length;

test('old days are dropped whole, and what of them is still open goes on with its chain', async () => {
  const over = await oldChain(daysAgo(4), 'delivered');
  const open = await oldChain(daysAgo(3), 'retrying');
  const recent = await oldChain(daysAgo(1), 'delivered');
  const before = await parts();
  const dropped = await dropDays(database.url, daysAgo(1));
  assert.ok(dropped >= 3);
  assert.equal(await parts(), before - dropped);

  const { service } = garden;
  await assert.rejects(service.chain(over), { code: 'unknown-item' });
  assert.equal((await service.chain(recent)).firings.length, 1);
  const carried = (await service.chain(open)).firings[0];
  assert.equal(carried.rule, 'night-visitor');
  assert.equal(await count('attempts'), 2, 'that of the open one and the recent one');
  assert.equal(await count('receipts'), 2);
  assert.equal(await count('information_schema.TABLES', "TABLE_SCHEMA = DATABASE() AND TABLE_NAME LIKE 'carry%'"), 0);
});

test('a drop that is killed between carrying and putting back loses nothing', async () => {
  const rows = await count('events');
  // As a kill leaves it: the carried rows outside, their own gone.
  for (const table of ['events', 'firings', 'deliveries', 'attempts', 'receipts', 'media']) {
    await ask(database.url, `CREATE TABLE carry_${table} LIKE ${table}`);
    await ask(database.url, `ALTER TABLE carry_${table} REMOVE PARTITIONING`);
    await ask(database.url, `INSERT INTO carry_${table} SELECT * FROM ${table}`);
    if (table !== 'receipts') await ask(database.url, `DELETE FROM ${table}`);
  }
  const receipts = await count('receipts');
  await prepareDays(database.url, Date.now());
  assert.equal(await count('events'), rows);
  assert.equal(await count('receipts'), receipts, 'none twice');
});

test('of a hundred thousand that are due, taking some looks at hardly more than it takes', async () => {
  await ask(
    database.url,
    `INSERT INTO queue (site, delivery, output, lane, due)
     SELECT 7, UNHEX(MD5(seq)), CONCAT('output-', seq % 5), seq % 3, '2026-01-01' + INTERVAL seq SECOND FROM seq_1_to_100000`,
  );
  await ask(database.url, 'ANALYZE TABLE queue');
  const opened = await openDatabase(database.url, Date.now());
  try {
    const holder = { process: '019a0000-0000-7000-8000-000000000000', machine: '', pid: 0, began: '', url: '' };
    const taken = await takeLease(opened, 7, holder, 60_000, async () => false);
    assert.ok('held' in taken);
    const limit = 50;
    const analyzed = async (statement: string) =>
      (await ask<{ key: string; r_rows: string; Extra: string }>(database.url, `ANALYZE ${statement}`))[0];
    const rows = await analyzed(
      `SELECT delivery, due FROM queue WHERE site = 7 AND output = 'output-1' AND lane = 1 ORDER BY due LIMIT ${limit}`,
    );
    assert.equal(rows.key, 'by_due');
    assert.doesNotMatch(rows.Extra, /filesort|temporary/);
    assert.ok(Number(rows.r_rows) <= 2 * limit, `${rows.r_rows} rows are read for ${limit}`);
    const heads = await analyzed('SELECT site, output, lane, MIN(due) AS due FROM queue WHERE site = 7 GROUP BY site, output, lane');
    assert.match(heads.Extra, /Using index for group-by/);
    assert.ok(Number(heads.r_rows) <= 2 * 15, 'one read for each output and lane');

    const { more } = await takeDue(opened, taken.held, Date.now() + 400 * day, holder.process, () => limit);
    // Of the fifteen heads the urgent ones have room for two hundred each, and what is left of the others' fifty is for two lanes.
    const took = 100_000 - (await count('queue', 'site = 7'));
    assert.ok(took >= 5 * 200 && took <= 5 * 250 + 15, `${took} were taken`);
    assert.equal(more.size, 5);
  } finally {
    await opened.sequelize.close();
  }
});

test('what is read while a day is made is read again, and not refused', async () => {
  const ledger = await openDatabase(database.url, noon);
  let times = 0;
  const count = (table: string, transaction: Parameters<Parameters<typeof atOneMoment>[1]>[0]) =>
    ledger.sequelize.query(`SELECT COUNT(*) AS n FROM ${table}`, { transaction, type: 'SELECT' });
  try {
    await atOneMoment(ledger, async (transaction) => {
      times++;
      // The moment is that of the first reading.
      await count('sites', transaction);
      if (times === 1) await prepareDays(database.url, daysAgo(-4));
      await count('events', transaction);
    });
  } finally {
    await ledger.sequelize.close();
  }
  assert.equal(times, 2);
});
