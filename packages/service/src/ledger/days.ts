import { type Connection, createConnection } from 'mariadb';
import { firstBytesOf, fromBytes } from '../ids.js';

/** Tables that are kept by days: old days are dropped as a whole, which costs the same however much is in them. */
const byId = { events: 'id', firings: 'id', deliveries: 'id', attempts: 'delivery', receipts: 'delivery', media: 'id' } as const;
const tables = ['entries', ...Object.keys(byId)] as readonly string[];
const dayMs = 86_400_000;
/** Tables that hold for a moment what of a dropped day is still open. */
const carryPrefix = 'carry_';
/** Days for which there is a part before they come. */
const ahead = 2;

const partOf = (day: number): string => `d${new Date(day).toISOString().slice(0, 10).replaceAll('-', '')}`;
const dayOf = (time: number): number => Math.floor(time / dayMs) * dayMs;
const firstId = (time: number): string => firstBytesOf(time).toString('hex');
const boundOf = (table: string, time: number): string =>
  table === 'entries' ? `'${new Date(time).toISOString().slice(0, 10)}'` : `x'${firstId(time)}'`;

/** Work on the tables themselves: one connection, and one process at a time. */
async function alone<T>(url: string, work: (connection: Connection) => Promise<T>): Promise<T> {
  const { hostname, port, username, password, pathname } = new URL(url.replace(/^mariadb:/, 'http:'));
  const connection = await createConnection({
    host: hostname,
    port: Number(port || 3306),
    user: username,
    password: decodeURIComponent(password),
    database: pathname.slice(1),
    timezone: 'Z',
    connectTimeout: 3_000,
  });
  try {
    const name = `causalis days ${pathname.slice(1)}`;
    await connection.query('SELECT GET_LOCK(?, 60)', [name]);
    return await work(connection);
  } finally {
    await connection.end();
  }
}

async function partsOf(connection: Connection, table: string): Promise<string[]> {
  const rows: { name: string }[] = await connection.query(
    `SELECT PARTITION_NAME AS name FROM information_schema.PARTITIONS
     WHERE TABLE_SCHEMA = DATABASE() AND TABLE_NAME = ? ORDER BY PARTITION_ORDINAL_POSITION`,
    [table],
  );
  return rows.map(({ name }) => name);
}

/** Makes the parts for today and the days to come, and ends what a killed drop has left. Times: wall ms. */
export async function prepareDays(url: string, now: number): Promise<void> {
  await alone(url, async (connection) => {
    await putBack(connection);
    for (const table of tables) {
      const known = await partsOf(connection, table);
      const last = known.filter((part) => part !== 'rest').at(-1);
      const wanted = Array.from({ length: ahead }, (_, i) => dayOf(now) + i * dayMs).filter(
        (day) => last === undefined || partOf(day) > last,
      );
      if (wanted.length === 0) continue;
      const parts = wanted.map((day) => `PARTITION ${partOf(day)} VALUES LESS THAN (${boundOf(table, day + dayMs)})`);
      await connection.query(
        `ALTER TABLE ${table} REORGANIZE PARTITION rest INTO (${parts.join(', ')}, PARTITION rest VALUES LESS THAN (MAXVALUE))`,
      );
    }
  });
}

/**
 * Drops whole days that ended before a moment (wall ms). What is still open of them is carried over: firings and
 * deliveries that go on, claims that go back, and pictures that somebody keeps, with their chains. Returns how many
 * days went. A kill in between loses nothing: what was carried is put back at the next start.
 */
export async function dropDays(url: string, before: number): Promise<number> {
  return await alone(url, async (connection) => {
    const old = (await partsOf(connection, 'events')).filter((part) => part !== 'rest' && part < partOf(dayOf(before)));
    if (old.length === 0) return 0;
    const bound = firstId(dayOf(before));
    const events = await openEvents(connection, bound);
    if (events.length > 0) await copyChains(connection);
    await connection.query(
      `LOCK TABLES ${[...tables, ...(events.length > 0 ? Object.keys(byId).map((table) => carryPrefix + table) : [])].map((table) => `${table} WRITE`).join(', ')}`,
    );
    try {
      if (events.length > 0) await carry(connection, events, bound);
      for (const table of tables) {
        const gone = (await partsOf(connection, table)).filter((part) => old.includes(part));
        if (gone.length > 0) await connection.query(`ALTER TABLE ${table} DROP PARTITION ${gone.join(', ')}`);
      }
      if (events.length > 0)
        for (const table of Object.keys(byId)) await connection.query(`INSERT INTO ${table} SELECT * FROM ${carryPrefix}${table}`);
    } finally {
      await connection.query('UNLOCK TABLES');
    }
    await forgetCarried(connection);
    return old.length;
  });
}

/** Events before a bound whose chains are not over. */
async function openEvents(connection: Connection, bound: string): Promise<Buffer[]> {
  const open: { event: Buffer }[] = await connection.query(
    `SELECT DISTINCT event FROM deliveries WHERE event < x'${bound}' AND state IN ('waiting', 'sending', 'retrying')`,
  );
  const kept: { value: unknown }[] = await connection.query(`SELECT value FROM state WHERE name LIKE 'firing/%' OR name LIKE 'output/%'`);
  // Ids of events stand in the state of firings and claims: what looks like one and is none finds no row.
  const named = kept.flatMap(({ value }) => [
    ...(typeof value === 'string' ? value : JSON.stringify(value)).matchAll(
      /"([0-9a-f]{8}-[0-9a-f]{4}-7[0-9a-f]{3}-[0-9a-f]{4}-[0-9a-f]{12})"/g,
    ),
  ]);
  const ids = new Set([...open.map(({ event }) => fromBytes(event)), ...named.map(([, id]) => id)]);
  return [...ids].map((id) => Buffer.from(id.replaceAll('-', ''), 'hex')).filter((id) => id.toString('hex') < bound);
}

async function copyChains(connection: Connection): Promise<void> {
  for (const table of Object.keys(byId)) {
    await connection.query(`DROP TABLE IF EXISTS ${carryPrefix}${table}`);
    await connection.query(`CREATE TABLE ${carryPrefix}${table} LIKE ${table}`);
    await connection.query(`ALTER TABLE ${carryPrefix}${table} REMOVE PARTITIONING`);
  }
}

async function carry(connection: Connection, events: readonly Buffer[], bound: string): Promise<void> {
  const some = 500;
  for (let at = 0; at < events.length; at += some) {
    const ids = [events.slice(at, at + some)];
    await connection.query(`INSERT INTO ${carryPrefix}events SELECT * FROM events WHERE id IN (?)`, ids);
    for (const table of ['firings', 'deliveries', 'media'])
      await connection.query(`INSERT INTO ${carryPrefix}${table} SELECT * FROM ${table} WHERE event IN (?) AND id < x'${bound}'`, ids);
  }
  for (const table of ['attempts', 'receipts'])
    await connection.query(
      `INSERT INTO ${carryPrefix}${table} SELECT * FROM ${table} WHERE delivery IN (SELECT id FROM ${carryPrefix}deliveries)`,
    );
  await connection.commit();
}

/** Puts back what a drop that was killed had carried out. */
async function putBack(connection: Connection): Promise<void> {
  const left: { name: string }[] = await connection.query(
    `SELECT TABLE_NAME AS name FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE() AND TABLE_NAME LIKE '${carryPrefix.replace('_', '\\_')}%'`,
  );
  for (const { name } of left) {
    const table = name.slice(carryPrefix.length);
    // Rows that are still there stay as they are.
    const missing = table === 'receipts' ? ' WHERE delivery NOT IN (SELECT delivery FROM receipts)' : '';
    await connection.query(`INSERT IGNORE INTO ${table} SELECT * FROM ${name}${missing}`);
  }
  if (left.length > 0) await forgetCarried(connection);
}

async function forgetCarried(connection: Connection): Promise<void> {
  await connection.query(
    `DROP TABLE IF EXISTS ${Object.keys(byId)
      .map((table) => carryPrefix + table)
      .join(', ')}`,
  );
}
