import type { DeliveryState, Priority } from '@causalis/contract';
import type { OpenDelivery } from '@causalis/core';
import { type Model, QueryTypes } from 'sequelize';
import { toBytes } from '../ids.js';
import { writeAttempts } from './commit.js';
import type { Database } from './database.js';
import { type Held, mustHold } from './leases.js';
import type { AttemptRecord } from './stepped.js';

/** A delivery as it is sent. Times are steady ms. */
export type TakenDelivery = Omit<OpenDelivery, 'expiresMs'> & {
  readonly expires: number | null;
  /** Number of this attempt, from 1. */
  readonly attempt: number;
};

/** The priorities by their lanes. */
export const priorityOf = (lane: number): Priority => (['urgent', 'important', 'routine'] as const)[lane];

function takenOf(row: Model, attempt: number): TakenDelivery {
  const get = <T>(name: string) => row.get(name) as T;
  const recipient = get<string | null>('recipient');
  const again = get<string | undefined>('again');
  return {
    id: get('id'),
    firing: get('firing'),
    event: get('event'),
    rule: get('rule'),
    action: get('action'),
    output: get('output'),
    ...(recipient === null ? {} : { recipient }),
    priority: priorityOf(get<number>('lane')),
    back: Boolean(get('back')),
    test: Boolean(get('test')),
    expires: get<Date | null>('expires')?.getTime() ?? null,
    attempt,
    content: get('content'),
    ...(again === undefined ? {} : { again }),
  };
}

/** A delivery by its id, as it would be sent, and its state. */
export async function findTaken(
  { models }: Database,
  site: number,
  id: string,
): Promise<{ delivery: TakenDelivery; state: DeliveryState } | undefined> {
  const row = await models.deliveries.findOne({ where: { site, id: toBytes(id) } });
  return row ? { delivery: takenOf(row, row.get('attempts') as number), state: row.get('state') as DeliveryState } : undefined;
}

/** What was taken; when the next is due; and the outputs over which more is due than they had room for. */
export interface Taken {
  readonly deliveries: readonly TakenDelivery[];
  readonly next: number | undefined;
  readonly more: ReadonlySet<string>;
}

/**
 * Takes what is due, of each output as much as it has room for, urgent first, oldest first: each counts one attempt
 * more before anything is sent. Urgent ones are taken whatever their output has in hand. What is looked at is what is
 * taken: the index of the queue begins with output and lane, and ends with the time.
 */
export async function takeDue(
  database: Database,
  held: Held,
  steady: number,
  process: string,
  roomOf: (output: string) => number,
): Promise<Taken> {
  const { sequelize, models } = database;
  const { site } = held;
  return await sequelize.transaction(async (transaction) => {
    await mustHold(database, held, transaction);
    const heads = await sequelize.query<{ output: string; lane: number; due: Date | string }>(
      // With the site among the groups the index is read once a group, not once a row.
      'SELECT site, output, lane, MIN(due) AS due FROM queue WHERE site = ? GROUP BY site, output, lane',
      { replacements: [site], type: QueryTypes.SELECT, transaction },
    );
    const ids: Buffer[] = [];
    const later: number[] = [];
    const more = new Set<string>();
    const room = new Map(heads.map(({ output }) => [output, Math.min(mostOfOutput, roomOf(output))]));
    for (const { output, lane, due } of heads) {
      const at = new Date(due).getTime();
      if (at > steady) {
        later.push(at);
        continue;
      }
      const left = lane === 0 ? mostOfOutput : (room.get(output) ?? 0);
      if (left <= 0) {
        more.add(output);
        continue;
      }
      const rows = await models.queue.findAll({
        attributes: ['delivery', 'due'],
        where: { site, output, lane },
        order: [['due', 'ASC']],
        limit: left + 1,
        transaction,
      });
      const dueNow = rows.filter((row) => (row.get('due') as Date).getTime() <= steady).slice(0, left);
      ids.push(...dueNow.map((row) => toBytes(row.get('delivery') as string)));
      room.set(output, (room.get(output) ?? 0) - dueNow.length);
      // One more was looked at to know when to come again.
      if (dueNow.length === rows.length) continue;
      const following = (rows[dueNow.length].get('due') as Date).getTime();
      if (following > steady || lane === 0) later.push(following);
      else more.add(output);
    }
    const next = later.length > 0 ? Math.min(...later) : undefined;
    if (ids.length === 0) return { deliveries: [], next, more };
    await models.queue.destroy({ where: { site, delivery: ids }, transaction });
    await models.deliveries.update(
      { state: 'sending', due: null, taken_by: process, attempts: sequelize.literal('attempts + 1') },
      { where: { site, id: ids, state: ['waiting', 'retrying'] }, transaction },
    );
    const rows = await models.deliveries.findAll({
      where: { site, id: ids, state: 'sending', taken_by: toBytes(process) },
      order: [
        ['lane', 'ASC'],
        ['id', 'ASC'],
      ],
      transaction,
    });
    return { deliveries: rows.map((row) => takenOf(row, row.get('attempts') as number)), next, more };
  });
}

/** So many of one output are taken at once at most: a transaction stays short. */
const mostOfOutput = 200;

/**
 * What a process that has ended left in `sending` is due again at once, under the same key. Whether the last attempt
 * arrived is not known, and the ledger says so. Three statements, however much was left.
 */
export async function recoverTaken(database: Database, held: Held, process: string, steady: number, wall: number): Promise<void> {
  const { sequelize } = database;
  const left = "site = :site AND state = 'sending' AND taken_by <> :process";
  const replacements = { site: held.site, process: toBytes(process), due: new Date(steady), began: new Date(wall) };
  await sequelize.transaction(async (transaction) => {
    await mustHold(database, held, transaction);
    const run = (statement: string) => sequelize.query(statement, { replacements, type: QueryTypes.UPDATE, transaction });
    await run(`INSERT IGNORE INTO attempts (site, delivery, number, began, outcome, code)
       SELECT site, id, attempts, :began, 'unknown', 'not-known' FROM deliveries WHERE ${left}`);
    await run(`INSERT INTO queue (site, delivery, output, lane, due)
       SELECT site, id, output, lane, :due FROM deliveries WHERE ${left} ON DUPLICATE KEY UPDATE due = VALUES(due)`);
    await run(`UPDATE deliveries SET state = 'retrying', due = :due, taken_by = NULL WHERE ${left}`);
  });
}

/** Records attempts after which their deliveries go on. */
export async function recordAttempts(database: Database, held: Held, records: readonly AttemptRecord[]): Promise<void> {
  await database.sequelize.transaction(async (transaction) => {
    await mustHold(database, held, transaction);
    await writeAttempts(database, held.site, records, transaction);
  });
}
