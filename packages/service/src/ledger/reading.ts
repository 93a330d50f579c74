import type {
  Attempt,
  Delivery,
  DeliveryState,
  EventRow,
  Firing,
  LightValue,
  OutputHealth,
  Receipt,
  SiteEvent,
  Verdict,
} from '@causalis/contract';
import { type ActionState, byHand, type DeliveryContent, type OpenFiring } from '@causalis/core';
import { col, fn, type Model, Op, type Transaction, type WhereOptions } from 'sequelize';
import { toBytes } from '../ids.js';
import { atOneMoment, type Database } from './database.js';
import { priorityOf, type TakenDelivery } from './queue.js';

type Titles = (source: string) => string;
/** The moment at which something is read together with other things: see `atOneMoment`. */
type At = Transaction | null;
const iso = (date: Date | string): string => new Date(date).toISOString();
const optional = <K extends string, V>(name: K, value: V | null | undefined): { [k in K]?: V } =>
  value === null || value === undefined ? {} : ({ [name]: value } as { [k in K]?: V });

/** An event's row as everything else sees it. */
export function eventOf(row: Model): SiteEvent & { verdicts: Verdict[] } {
  const get = <T>(name: string) => row.get(name) as T;
  return {
    id: get('id'),
    number: Number(get('number')),
    revision: Number(get('revision')),
    kind: get('kind'),
    source: { section: get('section'), key: get('source') },
    ...optional('mark', get<string | null>('mark')),
    ...optional('span', get<string | undefined>('span')),
    time: iso(get('time')),
    seen: iso(get('seen')),
    accepted: iso(get('accepted')),
    data: get('data'),
    ...optional('still', get<string | undefined>('still')),
    depth: Number(get('depth')),
    test: Boolean(get('test')),
    verdicts: get('verdicts'),
  };
}

/** Which events a list shows. */
export interface EventFilter {
  readonly limit: number;
  readonly before?: string | undefined;
  readonly afterNumber?: number | undefined;
  readonly kind?: string | undefined;
  readonly source?: string | undefined;
  readonly fired?: boolean | undefined;
}

/** One page of a list, newest first, and the key of the next. */
export interface Page<T> {
  readonly items: T[];
  readonly next?: string;
}

function paged<T extends { id: string }>(items: T[], limit: number): Page<T> {
  const last = items[limit - 1];
  return items.length > limit && last ? { items: items.slice(0, limit), next: last.id } : { items };
}

export async function listEvents({ models }: Database, site: number, filter: EventFilter, title: Titles): Promise<Page<EventRow>> {
  const where: WhereOptions = {
    site,
    ...(filter.before ? { id: { [Op.lt]: toBytes(filter.before) } } : {}),
    ...(filter.afterNumber === undefined ? {} : { number: { [Op.gt]: filter.afterNumber } }),
    ...(filter.kind ? { kind: filter.kind } : {}),
    ...(filter.source ? { source: filter.source } : {}),
    ...(filter.fired === undefined ? {} : { fired: filter.fired }),
  };
  const rows = await models.events.findAll({ where, order: [['id', 'DESC']], limit: filter.limit + 1 });
  return paged(
    rows.map(eventOf).map((event) => ({ ...event, title: title(event.source.key) })),
    filter.limit,
  );
}

export async function findEvent(
  { models }: Database,
  site: number,
  id: string,
  transaction: At = null,
): Promise<(SiteEvent & { verdicts: Verdict[] }) | undefined> {
  const row = await models.events.findOne({ where: { site, id: toBytes(id) }, transaction });
  return row ? eventOf(row) : undefined;
}

export async function listSpan(
  { models }: Database,
  site: number,
  event: SiteEvent,
  transaction: At = null,
): Promise<{ id: string; kind: string; time: string }[]> {
  if (!event.span) return [];
  const rows = await models.events.findAll({ where: { site, span: toBytes(event.span) }, order: [['id', 'ASC']], limit: 50, transaction });
  return rows.map(eventOf).flatMap(({ id, kind, time }) => (id === event.id ? [] : [{ id, kind, time }]));
}

/** Deliveries with their attempts and receipts, in the order of their ids. */
async function deliveriesOf({ models }: Database, site: number, rows: Model[], transaction: At = null): Promise<Delivery[]> {
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

/** Which of these kinds of events each source has ever given, tests apart. */
export async function kindsSeen({ models }: Database, site: number): Promise<ReadonlySet<string>> {
  const rows = (await models.events.findAll({
    attributes: ['kind', 'source'],
    where: { site, test: false },
    group: ['kind', 'source'],
    raw: true,
  })) as unknown as { kind: string; source: string }[];
  return new Set(rows.map(({ kind, source }) => `${kind} ${source}`));
}

export async function countDeliveries({ models }: Database, site: number, since: Date): Promise<{ open: number; failedLastDay: number }> {
  const [open, failedLastDay] = await Promise.all([
    models.deliveries.count({ where: { site, state: ['waiting', 'sending', 'retrying'] } }),
    models.deliveries.count({ where: { site, state: ['failed', 'expired'], created: { [Op.gte]: since } } }),
  ]);
  return { open, failedLastDay };
}

/** Where a kept picture lies, below the media folder. */
export async function mediaPath({ models }: Database, site: number, id: string): Promise<string | undefined> {
  const row = await models.media.findOne({ where: { site, id: toBytes(id) } });
  return row?.get('path') as string | undefined;
}

/** All state of a site, by name. */
export async function readState({ models }: Database, site: number): Promise<Map<string, unknown>> {
  const rows = await models.state.findAll({ where: { site } });
  return new Map(rows.map((row) => [String(row.get('name')), (row.get('value') as { is: unknown }).is]));
}

/** The last number that a site has given. */
export async function lastNumber({ models }: Database, site: number): Promise<number> {
  return Number((await models.entries.max('number', { where: { site } })) ?? 0);
}

/** The event that the same CloudEvent brought before. */
export async function acceptedBefore(
  { models }: Database,
  site: number,
  digest: Buffer,
): Promise<{ id: string; number: number } | undefined> {
  const row = await models.accepted.findOne({ where: { site, digest } });
  return row ? { id: row.get('event') as string, number: Number(row.get('number')) } : undefined;
}
