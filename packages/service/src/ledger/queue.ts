import type { DeliveryState, Priority } from '@causalis/contract';
import type { OpenDelivery } from '@causalis/core';
import { type Model, Op } from 'sequelize';
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

/** Takes what is due, urgent first, oldest first: each counts one attempt more before anything is sent. */
export async function takeDue(
  { sequelize, models }: Database,
  site: number,
  steady: number,
  most: number,
  process: string,
): Promise<TakenDelivery[]> {
  return await sequelize.transaction(async (transaction) => {
    const rows = await models.deliveries.findAll({
      where: { site, lane: [0, 1, 2], due: { [Op.lte]: new Date(steady) }, state: ['waiting', 'retrying'] },
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

/** The next steady time at which something is due. */
export async function nextDue({ models }: Database, site: number): Promise<number | undefined> {
  const due = (await models.deliveries.min('due', { where: { site, lane: [0, 1, 2], due: { [Op.ne]: null } } })) as Date | string | null;
  return due ? new Date(due).getTime() : undefined;
}

/**
 * What a process that has ended left in `sending` is due again at once, under the same key. Whether the last attempt
 * arrived is not known, and the ledger says so.
 */
export async function recoverTaken(database: Database, site: number, process: string, steady: number, wall: number): Promise<number> {
  const { sequelize, models } = database;
  return await sequelize.transaction(async (transaction) => {
    const rows = await models.deliveries.findAll({
      where: { site, state: 'sending', taken_by: { [Op.ne]: toBytes(process) } },
      transaction,
      lock: transaction.LOCK.UPDATE,
    });
    for (const row of rows) {
      const attempt = {
        number: row.get('attempts') as number,
        began: new Date(wall).toISOString(),
        outcome: 'unknown' as const,
        code: 'not-known',
      };
      await writeAttempt(database, site, { delivery: row.get('id') as string, attempt, state: 'retrying', due: steady }, transaction);
    }
    return rows.length;
  });
}

/** Records an attempt after which the delivery goes on. */
export async function recordAttempt(database: Database, site: number, record: AttemptRecord): Promise<void> {
  await database.sequelize.transaction((transaction) => writeAttempt(database, site, record, transaction));
}
