import type { Firing } from '@causalis/contract';
import type { ActionState, OpenFiring } from '@causalis/core';
import { col, fn } from 'sequelize';
import { toBytes } from '../ids.js';
import type { Database } from './database.js';
import { deliveriesOf } from './deliveries.js';
import { type At, iso, optional } from './page.js';
import type { TakenDelivery } from './queue.js';

/** Firings of an event, or one by its id, whole: actions with their deliveries. */
export async function listFirings(
  database: Database,
  site: number,
  where: { event: string } | { id: string },
  transaction: At = null,
): Promise<Firing[]> {
  const [name, id] = 'event' in where ? ['event', where.event] : ['id', where.id];
  const rows = await database.models.firings.findAll({ where: { site, [name]: toBytes(id) }, order: [['id', 'ASC']], transaction });
  const firingIds = rows.map((row) => toBytes(row.get('id') as string));
  const deliveryRows =
    firingIds.length === 0
      ? []
      : await database.models.deliveries.findAll({ where: { site, firing: firingIds }, order: [['id', 'ASC']], transaction });
  const deliveries = await deliveriesOf(database, site, deliveryRows, transaction);
  return rows.map((row) => {
    const get = <T>(field: string) => row.get(field) as T;
    const firing = get<string>('id');
    return {
      id: firing,
      rule: get('rule'),
      title: get('title'),
      priority: get('priority'),
      event: get('event'),
      at: iso(get('at')),
      test: Boolean(get('test')),
      actions: get<ActionState[]>('actions').map((action) => ({
        name: action.plan.name,
        verb: action.plan.verb,
        state: action.state,
        ...optional('succeeded', action.succeeded),
        ...optional('reason', action.reason),
        after: action.plan.needs.map((need) => need.action),
        ...optional('started', action.started === undefined ? undefined : iso(new Date(action.started))),
        ...optional('ended', action.ended === undefined ? undefined : iso(new Date(action.ended))),
        stills: [...action.stills],
        deliveries: deliveries.filter((delivery) => delivery.firing === firing && delivery.action === action.plan.name),
      })),
    };
  });
}

/** When each rule that has fired last did so: two queries, however many rules there are. */
export async function lastFirings({ models }: Database, site: number): Promise<Map<string, { lastFired: string; lastEvent: string }>> {
  const newest = (await models.firings.findAll({
    attributes: ['rule', [fn('MAX', col('id')), 'newest']],
    where: { site, test: false },
    group: ['rule'],
    raw: true,
  })) as unknown as { newest: Buffer }[];
  const ids = newest.map((row) => row.newest);
  const rows = ids.length === 0 ? [] : await models.firings.findAll({ where: { site, id: ids } });
  return new Map(
    rows.map((row) => [row.get('rule') as string, { lastFired: iso(row.get('at') as Date), lastEvent: row.get('event') as string }]),
  );
}

/** A firing that is over, as it was when it ended: enough to go on with it. */
export async function closedFiring(database: Database, site: number, { firing, content }: TakenDelivery): Promise<OpenFiring | undefined> {
  const row = await database.models.firings.findOne({ where: { site, id: toBytes(firing) } });
  if (!row) return undefined;
  const at = (row.get('at') as Date).getTime();
  return {
    id: firing,
    rule: row.get('rule') as string,
    title: row.get('title') as string,
    priority: row.get('priority') as OpenFiring['priority'],
    event: content.event,
    at,
    steady: (row.get('steady') as Date | null)?.getTime() ?? at,
    mode: (row.get('mode') as string | null) ?? '',
    actions: row.get('actions') as ActionState[],
  };
}
