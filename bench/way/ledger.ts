import { openDatabase, prepareDays } from '@causalis/service';
import type { Connection } from 'mariadb';

const dayMs = 86_400_000;
const perStatement = 100_000;
/** Every tenth event set off a rule, and each firing sent one call. */
const firedEach = 10;

/** The parts of days for a ledger that begins so many days ago, before anything is in it. */
export async function prepareOldDays(url: string, days: number): Promise<void> {
  const today = Math.floor(Date.now() / dayMs) * dayMs;
  const opened = await openDatabase(url, today - days * dayMs);
  await opened.sequelize.close();
  for (let day = days - 1; day >= 0; day--) await prepareDays(url, today - day * dayMs);
}

/** A UUIDv7 in SQL: milliseconds, a mark that tells events, firings and deliveries apart, and the number. */
const id = (ms: string, mark: string, seq: string) =>
  `CONCAT(UNHEX(LPAD(HEX(${ms}), 12, '0')), UNHEX('${mark}8000'), UNHEX(LPAD(HEX(${seq}), 12, '0')))`;

/**
 * Fills the ledger of the first site with so many events a day for some days up to yesterday: 64 cameras, four kinds,
 * fifty rules.
 */
export async function fillLedger(connection: Connection, events: number, days: number): Promise<void> {
  const today = Math.floor(Date.now() / dayMs) * dayMs;
  const start = today - days * dayMs;
  const ms = `(${start} + FLOOR(seq * ${(days * dayMs) / (events + 1)}))`;
  const at = `FROM_UNIXTIME(${ms} / 1000)`;
  await connection.query('SET unique_checks = 0, time_zone = "+00:00"');
  for (let from = 1; from <= events; from += perStatement) {
    const to = Math.min(events, from + perStatement - 1);
    const source = "CONCAT('camera-', (seq * 7919) % 64)";
    const kind = "ELT(1 + (seq * 31) % 4, 'motion.began', 'motion.ended', 'camera.lost', 'camera.restored')";
    await connection.query(
      `INSERT INTO events (site, id, number, revision, kind, section, source, mark, time, seen, accepted, data, verdicts, fired, depth, test)
       SELECT 1, ${id(ms, '7000', 'seq')}, 1000000000 + seq, 1, ${kind}, 'cameras', ${source}, 'drive', ${at}, ${at}, ${at},
         '{"level":0.1,"threshold":0.003}', '[]', seq % ${firedEach} = 0, 0, 0 FROM seq_${from}_to_${to}`,
    );
    const rule = `CONCAT('rule-', FLOOR(seq / ${firedEach}) % 50)`;
    const fired = `FROM seq_${from}_to_${to} WHERE seq % ${firedEach} = 0`;
    await connection.query(
      `INSERT INTO firings (site, id, event, kind, source, rule, title, priority, at, test, actions)
       SELECT 1, ${id(ms, '7001', 'seq')}, ${id(ms, '7000', 'seq')}, ${kind}, ${source}, ${rule}, 'A rule', 'routine', ${at}, 0, '[]' ${fired}`,
    );
    await connection.query(
      `INSERT INTO deliveries (site, id, firing, event, rule, action, output, state, lane, created, ended, back, test, attempts, content)
       SELECT 1, ${id(ms, '7002', 'seq')}, ${id(ms, '7001', 'seq')}, ${id(ms, '7000', 'seq')}, ${rule}, 'desk', 'desk', 'delivered', 2, ${at}, ${at}, 0, 0, 1,
         '{"verb":"call","stills":[]}' ${fired}`,
    );
    await connection.query(
      `INSERT INTO attempts (site, delivery, number, began, took_ms, outcome, code)
       SELECT 1, ${id(ms, '7002', 'seq')}, 1, ${at}, 3.2, 'delivered', 'accepted' ${fired}`,
    );
  }
}

/** Puts so many routine deliveries into the queue, due now, as a desk that was away for long leaves them. */
export async function fillQueue(connection: Connection, count: number): Promise<void> {
  const now = Date.now();
  const ms = `(${now} - 60000 + FLOOR(seq * ${50_000 / count}))`;
  await connection.query('SET time_zone = "+00:00"');
  const content = `CONCAT('{"verb":"call","stills":[],"event":{"id":"', LOWER(INSERT(INSERT(INSERT(INSERT(HEX(${id(ms, '7000', 'seq')}), 9, 0, '-'), 14, 0, '-'), 19, 0, '-'), 24, 0, '-')), '","kind":"hook.called","section":"hooks","source":"routine","time":${now},"data":{},"depth":0,"test":false},"rule":"routine","title":"Routine","at":${now}}')`;
  const at = `FROM_UNIXTIME(${ms} / 1000)`;
  await connection.query(
    `INSERT INTO deliveries (site, id, firing, event, rule, action, output, state, lane, due, created, back, test, attempts, content)
     SELECT 1, ${id(ms, '7002', 'seq')}, ${id(ms, '7001', 'seq')}, ${id(ms, '7000', 'seq')}, 'routine', 'desk', 'desk', 'retrying', 2, ${at}, ${at}, 0, 0, 1, ${content}
     FROM seq_1_to_${count}`,
  );
  await connection.query(
    `INSERT INTO queue (site, delivery, output, lane, due) SELECT site, id, output, lane, due FROM deliveries WHERE state = 'retrying' AND due IS NOT NULL
     ON DUPLICATE KEY UPDATE due = VALUES(due)`,
  );
}
