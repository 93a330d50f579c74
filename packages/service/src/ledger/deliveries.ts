import type { Attempt, Delivery, DeliveryState, LightValue, OutputHealth, Receipt } from '@causalis/contract';
import { byHand, type DeliveryContent } from '@causalis/core';
import { type Model, Op, type WhereOptions } from 'sequelize';
import { toBytes } from '../ids.js';
import { atOneMoment, type Database } from './database.js';
import { type At, iso, optional, type Page, paged } from './page.js';
import { priorityOf } from './queue.js';

/** Deliveries with their attempts and receipts, in the order of their ids. */
export async function deliveriesOf({ models }: Database, site: number, rows: Model[], transaction: At = null): Promise<Delivery[]> {
  const ids = rows.map((row) => toBytes(row.get('id') as string));
  const where = { site, delivery: ids };
  const [attempts, receipts] =
    ids.length === 0
      ? [[], []]
      : await Promise.all([
          models.attempts.findAll({ where, order: [['number', 'ASC']], transaction }),
          models.receipts.findAll({ where, order: [['at', 'ASC']], transaction }),
        ]);
  return rows.map((row) => {
    const get = <T>(name: string) => row.get(name) as T;
    const id = get<string>('id');
    const content = get<DeliveryContent>('content');
    const mine = (other: Model) => other.get('delivery') === id;
    return {
      id,
      firing: get('firing'),
      event: get('event'),
      rule: get('rule'),
      action: get('action'),
      output: get('output'),
      ...optional('recipient', get<string | null>('recipient')),
      state: get<DeliveryState>('state'),
      priority: priorityOf(get<number>('lane')),
      created: iso(get('created')),
      ...optional('due', get('due') ? iso(get('due')) : undefined),
      ...optional('expires', get('expires') ? iso(get('expires')) : undefined),
      ...optional('ended', get('ended') ? iso(get('ended')) : undefined),
      ...optional('sets', content.value as LightValue | undefined),
      ...optional('looks', content.preset as string | undefined),
      verb: content.verb,
      back: Boolean(get('back')),
      ...optional('again', get<string | undefined>('again')),
      key: id,
      test: Boolean(get('test')),
      attempts: attempts.filter(mine).map(
        (attempt): Attempt => ({
          number: attempt.get('number') as number,
          began: iso(attempt.get('began') as Date),
          ...optional('tookMs', attempt.get('took_ms') as number | null),
          outcome: attempt.get('outcome') as Attempt['outcome'],
          code: attempt.get('code') as string,
          ...optional('answer', attempt.get('answer') as string | null),
          ...optional('steps', attempt.get('steps') as Attempt['steps'] | null),
        }),
      ),
      receipts: receipts
        .filter(mine)
        .map((receipt): Receipt => ({ at: iso(receipt.get('at') as Date), kind: 'read-back', value: receipt.get('value') as string })),
    };
  });
}

export interface DeliveryFilter {
  readonly limit: number;
  readonly before?: string | undefined;
  readonly state?: string | undefined;
  readonly rule?: string | undefined;
  readonly output?: string | undefined;
  readonly recipient?: string | undefined;
}

export async function listDeliveries(database: Database, site: number, filter: DeliveryFilter): Promise<Page<Delivery>> {
  const where: WhereOptions = {
    site,
    ...(filter.before ? { id: { [Op.lt]: toBytes(filter.before) } } : {}),
    ...(filter.state ? { state: filter.state } : {}),
    ...(filter.rule ? { rule: filter.rule } : {}),
    ...(filter.output ? { output: filter.output } : {}),
    ...(filter.recipient ? { recipient: filter.recipient } : {}),
  };
  const rows = await database.models.deliveries.findAll({ where, order: [['id', 'DESC']], limit: filter.limit + 1 });
  return paged(await deliveriesOf(database, site, rows), filter.limit);
}

export async function findDelivery(database: Database, site: number, id: string): Promise<Delivery | undefined> {
  return await atOneMoment(database, async (transaction) => {
    const rows = await database.models.deliveries.findAll({ where: { site, id: toBytes(id) }, transaction });
    return (await deliveriesOf(database, site, rows, transaction))[0];
  });
}

/** What is known of each output: its last arrival, its last failure, how much is open, and its last test. */
export async function outputHealth(database: Database, site: number, outputs: readonly string[]): Promise<Map<string, OutputHealth>> {
  const newest = async (where: WhereOptions) => await database.models.deliveries.findAll({ where, order: [['id', 'DESC']], limit: 1 });
  const health = await Promise.all(
    outputs.map(async (output): Promise<[string, OutputHealth]> => {
      const [arrived, failed, test, open] = await Promise.all([
        newest({ site, output, state: 'delivered' }),
        newest({ site, output, state: ['failed', 'expired', 'retrying'] }),
        database.models.deliveries.findAll({
          where: { site, output, rule: byHand, test: true, back: false },
          order: [['id', 'DESC']],
          limit: 1,
        }),
        database.models.deliveries.count({ where: { site, output, state: ['waiting', 'sending', 'retrying'] } }),
      ]);
      const [lastFailed] = await deliveriesOf(database, site, failed);
      const [lastTest] = await deliveriesOf(database, site, test);
      return [
        output,
        {
          open,
          ...(arrived[0] ? { lastDelivered: iso((arrived[0].get('ended') ?? arrived[0].get('created')) as Date) } : {}),
          ...(lastFailed ? { lastFailed } : {}),
          ...(lastTest ? { lastTest } : {}),
        },
      ];
    }),
  );
  return new Map(health);
}

export async function countDeliveries({ models }: Database, site: number, since: Date): Promise<{ open: number; failedLastDay: number }> {
  const [open, failedLastDay] = await Promise.all([
    models.deliveries.count({ where: { site, state: ['waiting', 'sending', 'retrying'] } }),
    models.deliveries.count({ where: { site, state: ['failed', 'expired'], created: { [Op.gte]: since } } }),
  ]);
  return { open, failedLastDay };
}
