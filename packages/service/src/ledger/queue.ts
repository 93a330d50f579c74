import type { DeliveryState, Priority } from '@causalis/contract';
import type { OpenDelivery } from '@causalis/core';
import { type Model, Op, QueryTypes } from 'sequelize';
import { toBytes } from '../ids.js';
import { writeAttempt } from './commit.js';
import type { Database } from './database.js';
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

/**
 * Takes what is due, urgent first, oldest first: each counts one attempt more before anything is sent. Outputs that
 * have enough in hand already are passed over.
 */
export async function takeDue(
  { sequelize, models }: Database,
  site: number,
  steady: number,
  most: number,
  process: string,
  busy: readonly string[],
): Promise<TakenDelivery[]> {
  return await sequelize.transaction(async (transaction) => {
    const rows = await models.deliveries.findAll({
      where: { site, lane: [0, 1, 2], due: { [Op.lte]: new Date(steady) }, state: ['waiting', 'retrying'], ...notOver(busy) },
      order: [
        ['lane', 'ASC'],
        ['due', 'ASC'],
      ],
      limit: most,
      lock: transaction.LOCK.UPDATE,
      transaction,
    });
    if (rows.length === 0) return [];
    await models.deliveries.update(
      { state: 'sending', due: null, taken_by: process, attempts: sequelize.literal('attempts + 1') },
      { where: { site, id: rows.map((row) => toBytes(row.get('id') as string)) }, transaction },
    );
    return rows.map((row) => takenOf(row, (row.get('attempts') as number) + 1));
  });
}

/** Urgent ones are passed over by nothing. */
const notOver = (outputs: readonly string[]) =>
  outputs.length === 0 ? {} : { [Op.or]: [{ lane: 0 }, { output: { [Op.notIn]: [...outputs] } }] };

/** The next steady time at which something is due over an output that is not busy. */
export async function nextDue({ models }: Database, site: number, busy: readonly string[]): Promise<number | undefined> {
  const where = { site, lane: [0, 1, 2], due: { [Op.ne]: null }, ...notOver(busy) };
  const due = (await models.deliveries.min('due', { where })) as Date | string | null;
  return due ? new Date(due).getTime() : undefined;
}

/**
 * What a process that has ended left in `sending` is due again at once, under the same key. Whether the last attempt
 * arrived is not known, and the ledger says so. Two statements, however much was left.
 */
export async function recoverTaken({ sequelize }: Database, site: number, process: string, steady: number, wall: number): Promise<void> {
  const left = "site = :site AND state = 'sending' AND taken_by <> :process";
  const replacements = { site, process: toBytes(process), due: new Date(steady), began: new Date(wall) };
  await sequelize.transaction(async (transaction) => {
    await sequelize.query(
      `INSERT IGNORE INTO attempts (site, delivery, number, began, outcome, code)
       SELECT site, id, attempts, :began, 'unknown', 'not-known' FROM deliveries WHERE ${left}`,
      { replacements, type: QueryTypes.INSERT, transaction },
    );
    await sequelize.query(`UPDATE deliveries SET state = 'retrying', due = :due, taken_by = NULL WHERE ${left}`, {
      replacements,
      type: QueryTypes.UPDATE,
      transaction,
    });
  });
}

/** Records an attempt after which the delivery goes on. */
export async function recordAttempt(database: Database, site: number, record: AttemptRecord): Promise<void> {
  await database.sequelize.transaction((transaction) => writeAttempt(database, site, record, transaction));
}
