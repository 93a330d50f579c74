import { createHash } from 'node:crypto';
import type { Now } from '@causalis/core';
import { lightText } from '@causalis/words';
import { Op, QueryTypes, type Transaction } from 'sequelize';
import { toBytes } from '../ids.js';
import { pass } from '../moments.js';
import { Refusal } from '../problem.js';
import type { Database } from './database.js';
import { giveNumbers, type Held } from './leases.js';
import { countVerdicts } from './rule-hours.js';
import { putRows, rowsAtOnce, run } from './sql.js';
import type { AttemptRecord, EntryExtras, MediaRow, Stepped } from './stepped.js';

const lanes = { urgent: 0, important: 1, routine: 2 } as const;

/** SHA-256, as the ledger keeps what it must not know. */
export const digestOf = (text: string): Buffer => createHash('sha256').update(text).digest();

type Table = Database['models'][keyof Database['models']];
/**
 * Writes everything that a batch of entries brought about: one transaction, whole or not at all, and only while the
 * site's lease is held and the numbers follow on.
 */
export async function commitBatch(database: Database, held: Held, batch: readonly Stepped[], process: string): Promise<void> {
  const { sequelize, models } = database;
  const { site } = held;
  await sequelize.transaction(async (transaction) => {
    const writing = new Writing();
    writing.add(giveNumbers(held, batch[0].number - 1, batch[batch.length - 1].number, transaction));
    const put = (model: Table, rows: Record<string, unknown>[], updateOnDuplicate?: string[]) =>
      writing.add(putRows(model, rows, transaction, updateOnDuplicate));
    put(
      models.entries,
      batch.map(({ number, entry, now }) => ({
        site,
        number,
        kind: entry.kind,
        wall: new Date(now.wall),
        steady: new Date(now.steady),
        body: entry,
      })),
    );
    put(
      models.media,
      batch.flatMap(({ extras }) => (extras.media ?? []).map((media) => ({ site, ...media, at: new Date(media.at) }))),
    );
    writing.add(forgetOld(database, site, batch, transaction));
    put(
      models.accepted,
      batch.flatMap(({ extras, result, number, now }) =>
        extras.once && result.events[0]
          ? [{ site, digest: digestOf(extras.once), event: result.events[0].event.id, number, at: new Date(now.wall) }]
          : [],
      ),
    );
    put(
      models.events,
      batch.flatMap((stepped) => eventRows(site, stepped)),
    );
    put(models.firings, firingRows(site, batch), ['actions']);
    put(
      models.deliveries,
      batch.flatMap((stepped) => deliveryRows(site, stepped, process)),
    );
    put(
      models.receipts,
      batch.flatMap(({ result, now }) =>
        result.receipts.map(({ delivery, kind, value }) => ({ site, delivery, kind, value: lightText(value), at: new Date(now.wall) })),
      ),
    );
    const attempts = batch.flatMap(({ extras }) => extras.attempt ?? []);
    writing.add(writeAttempts(database, site, attempts, transaction));
    for (const { extras, now } of batch) if (extras.byHand) writing.add(moveByHand(database, site, extras.byHand, now, transaction));
    writing.add(countVerdicts(site, batch, transaction));
    writing.add(writeState(database, site, batch, transaction));
    await writing.done();
    pass('written');
  });
}

/**
 * Statements of one transaction on their way: the connection sends the next without waiting for the answer to the last,
 * and all have been answered before the transaction ends, whatever one of them said.
 */
class Writing {
  private readonly statements: Promise<unknown>[] = [];

  add(statement: Promise<unknown>): void {
    this.statements.push(statement);
    statement.catch(() => undefined);
  }

  async done(): Promise<void> {
    const ended = await Promise.allSettled(this.statements);
    for (const one of ended) if (one.status === 'rejected') throw one.reason;
  }
}

/** What was accepted longer ago than this may come again and is new then. */
export const onceMs = 86_400_000;

/** Forgets what was accepted too long ago to come again, bit by bit. */
export async function forgetAccepted({ models }: Database, wall: number): Promise<void> {
  const where = { at: { [Op.lt]: new Date(wall - onceMs) } };
  while ((await models.accepted.destroy({ where, limit: rowsAtOnce * 10 })) > 0);
}

/** What is accepted anew stands there from before: that was more than a day ago. */
async function forgetOld({ models }: Database, site: number, batch: readonly Stepped[], transaction: Transaction): Promise<void> {
  const digests = batch.flatMap(({ extras }) => (extras.once && extras.anew ? [digestOf(extras.once)] : []));
  if (digests.length === 0) return;
  const before = new Date(batch[0].now.wall - onceMs);
  for (let at = 0; at < digests.length; at += rowsAtOnce)
    await models.accepted.destroy({
      where: { site, digest: digests.slice(at, at + rowsAtOnce), at: { [Op.lt]: before } },
      transaction,
    });
}

function eventRows(site: number, { number, revision, now, result }: Stepped): Record<string, unknown>[] {
  return result.events.map(({ event, verdicts }) => ({
    site,
    number,
    revision,
    id: event.id,
    kind: event.kind,
    section: event.section,
    source: event.source,
    mark: event.mark ?? null,
    span: event.span ?? null,
    time: new Date(event.time),
    seen: new Date(event.seen),
    accepted: new Date(now.wall),
    data: event.data,
    verdicts,
    fired: verdicts.some(({ verdict }) => verdict === 'fired'),
    still: event.still ?? null,
    depth: event.depth,
    test: event.test,
  }));
}

/** A firing that moved more than once in a batch is written as it was last. */
function firingRows(site: number, batch: readonly Stepped[]): Record<string, unknown>[] {
  const last = new Map(batch.flatMap(({ result }) => result.firings.map((firing) => [firing.id, firing] as const)));
  return [...last.values()].map((firing) => ({
    site,
    id: firing.id,
    event: firing.event.id,
    kind: firing.event.kind,
    source: firing.event.source,
    rule: firing.rule,
    title: firing.title,
    priority: firing.priority,
    at: new Date(firing.at),
    test: firing.event.test,
    actions: firing.actions,
    steady: new Date(firing.steady),
    mode: firing.mode,
  }));
}

/** New deliveries are due at once: they are written as taken already and handed over in memory. */
function deliveryRows(site: number, { now, result }: Stepped, process: string): Record<string, unknown>[] {
  return result.deliveries.map((delivery) => ({
    site,
    id: delivery.id,
    firing: delivery.firing,
    event: delivery.event,
    rule: delivery.rule,
    action: delivery.action,
    output: delivery.output,
    recipient: delivery.recipient ?? null,
    state: 'sending',
    lane: lanes[delivery.priority],
    due: null,
    taken_by: process,
    created: new Date(now.wall),
    expires: delivery.expiresMs === null ? null : new Date(now.steady + delivery.expiresMs),
    ended: null,
    back: delivery.back,
    test: delivery.test,
    attempts: 1,
    content: delivery.content,
    again: delivery.again ?? null,
  }));
}

/** Writes attempts and what became of their deliveries, some hundred a statement. A delivery that has ended meanwhile stays as it ended. */
export async function writeAttempts(
  database: Database,
  site: number,
  records: readonly AttemptRecord[],
  transaction: Transaction,
): Promise<void> {
  for (let at = 0; at < records.length; at += rowsAtOnce)
    await writeSomeAttempts(database, site, records.slice(at, at + rowsAtOnce), transaction);
}

async function writeSomeAttempts(
  { sequelize, models }: Database,
  site: number,
  records: readonly AttemptRecord[],
  transaction: Transaction,
) {
  await putRows(
    models.attempts,
    records.map(({ delivery, attempt }) => ({
      site,
      delivery,
      number: attempt.number,
      began: new Date(attempt.began),
      took_ms: attempt.tookMs ?? null,
      outcome: attempt.outcome,
      code: attempt.code,
      answer: attempt.answer ?? null,
      steps: attempt.steps ?? null,
    })),
    transaction,
    'ignored',
  );
  const date = (time: number | undefined) => (time === undefined ? null : new Date(time));
  await run(
    transaction,
    `UPDATE deliveries JOIN (${records.map((_, i) => (i === 0 ? 'SELECT ? AS id, ? AS state, ? AS due, ? AS ended' : 'SELECT ?, ?, ?, ?')).join(' UNION ALL ')}) AS came
     ON deliveries.site = ? AND deliveries.id = came.id
     SET deliveries.state = came.state, deliveries.due = came.due, deliveries.taken_by = NULL, deliveries.ended = came.ended
     WHERE deliveries.state IN ('waiting', 'sending', 'retrying')`,
    [...records.flatMap(({ delivery, state, due, ended }) => [toBytes(delivery), state, date(due), date(ended)]), site],
  );
  const goingOn = records.filter(({ due }) => due !== undefined).map(({ delivery }) => toBytes(delivery));
  if (goingOn.length > 0) await queueUp({ sequelize, models }, site, goingOn, transaction);
}

/** Puts deliveries into the queue at the time at which each is due. */
export async function queueUp({ sequelize }: Database, site: number, ids: readonly Buffer[], transaction: Transaction): Promise<void> {
  await sequelize.query(
    `INSERT INTO queue (site, delivery, output, lane, due)
     SELECT site, id, output, lane, due FROM deliveries WHERE site = ? AND id IN (?) AND due IS NOT NULL
     ON DUPLICATE KEY UPDATE due = VALUES(due)`,
    { replacements: [site, ids], type: QueryTypes.INSERT, transaction },
  );
}

/** From which states a hand can move a delivery: what is being sent cannot be called back. */
const movable = { retry: ['waiting', 'retrying', 'failed', 'expired'], cancel: ['waiting', 'retrying'] } as const;

async function moveByHand(
  database: Database,
  site: number,
  { delivery, does, expires }: NonNullable<EntryExtras['byHand']>,
  now: Now,
  transaction: Transaction,
): Promise<void> {
  const to =
    does === 'retry'
      ? { state: 'retrying', due: new Date(now.steady), ended: null, expires: expires === null ? null : new Date(expires) }
      : { state: 'cancelled', due: null, ended: new Date(now.wall) };
  const { deliveries, queue } = database.models;
  const id = toBytes(delivery);
  const [changed] = await deliveries.update(to, { where: { site, id, state: { [Op.in]: [...movable[does]] } }, transaction });
  if (changed === 0) throw new Refusal(does === 'retry' ? 'not-retryable' : 'not-cancellable', { state: 'no longer open' });
  if (does === 'retry') await queueUp(database, site, [id], transaction);
  else await queue.destroy({ where: { site, delivery: id }, transaction });
}

/** Values stand inside an object: a bare string in a JSON column comes back from some connectors parsed, from others not. */
async function writeState({ models }: Database, site: number, batch: readonly Stepped[], transaction: Transaction): Promise<void> {
  const last = new Map(batch.flatMap(({ result }) => [...result.changes]));
  const gone = [...last].filter(([, value]) => value === null).map(([name]) => name);
  const kept = [...last].filter(([, value]) => value !== null).map(([name, is]) => ({ site, name, value: { is } }));
  for (let at = 0; at < gone.length; at += rowsAtOnce)
    await models.state.destroy({ where: { site, name: gone.slice(at, at + rowsAtOnce) }, transaction });
  await putRows(models.state, kept, transaction, ['value']);
}

/** Writes the row of a picture that no entry brings. */
export async function insertMedia({ models }: Database, site: number, row: MediaRow): Promise<void> {
  await models.media.create({ site, ...row, at: new Date(row.at) });
}
