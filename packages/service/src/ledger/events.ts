import type { EventRow, SiteEvent, Verdict } from '@causalis/contract';
import type { EventIn } from '@causalis/core';
import { type Model, Op, QueryTypes, type WhereOptions } from 'sequelize';
import { firstBytesOf, fromBytes, toBytes } from '../ids.js';
import { onceMs } from './commit.js';
import type { Database } from './database.js';
import { type At, iso, optional, type Page, paged } from './page.js';
import type { Stepped } from './stepped.js';

type Titles = (source: string) => string;

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

/** An event as its row will be read, from what was just committed. */
export function eventAsKept(
  { number, revision, now }: Stepped,
  event: EventIn,
  verdicts: readonly Verdict[],
): SiteEvent & { verdicts: Verdict[] } {
  const at = (time: number) => new Date(time).toISOString();
  const { section, source, time, seen, ...rest } = event;
  return {
    ...rest,
    number,
    revision,
    source: { section, key: source },
    time: at(time),
    seen: at(seen),
    accepted: at(now.wall),
    verdicts: [...verdicts],
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
  /** Only events that this rule fired on. */
  readonly rule?: string | undefined;
  /** Accepted from this moment on, and before this one; instants. */
  readonly from?: string | undefined;
  readonly until?: string | undefined;
}

/** A list of events, newest first, page by page by their ids: each filter and each pair of them has an index to walk. */
export async function listEvents(database: Database, site: number, filter: EventFilter, title: Titles): Promise<Page<EventRow>> {
  const { models } = database;
  const ids = between(filter);
  const where: WhereOptions = {
    site,
    ...(filter.afterNumber === undefined ? {} : { number: { [Op.gt]: filter.afterNumber } }),
    ...(filter.kind ? { kind: filter.kind } : {}),
    ...(filter.source ? { source: filter.source } : {}),
    ...(filter.fired === undefined ? {} : { fired: filter.fired }),
    ...(filter.rule ? { id: await firedOn(database, site, filter.rule, filter, ids) } : ids ? { id: ids } : {}),
  };
  const rows = await models.events.findAll({ where, order: [['id', 'DESC']], limit: filter.limit + 1 });
  return paged(
    rows.map(eventOf).map((event) => ({ ...event, title: title(event.source.key) })),
    filter.limit,
  );
}

/** The stretch of ids that a page lies in. */
function between({ before, from, until }: EventFilter): object | undefined {
  const upper = [...(before ? [toBytes(before)] : []), ...(until ? [firstBytesOf(Date.parse(until))] : [])].sort(Buffer.compare)[0];
  if (!upper && !from) return undefined;
  return { ...(upper ? { [Op.lt]: upper } : {}), ...(from ? { [Op.gte]: firstBytesOf(Date.parse(from)) } : {}) };
}

/** The newest events on which a rule fired. */
async function firedOn(
  { models }: Database,
  site: number,
  rule: string,
  { kind, source, limit }: EventFilter,
  ids: object | undefined,
): Promise<Buffer[]> {
  const rows = await models.firings.findAll({
    attributes: ['event'],
    where: { site, rule, ...(kind ? { kind } : {}), ...(source ? { source } : {}), ...(ids ? { event: ids } : {}) },
    order: [['event', 'DESC']],
    limit: limit + 1,
  });
  return rows.map((row) => toBytes(row.get('event') as string));
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

/** The events that the same CloudEvents brought before, by their digests in hex; those of more than a day ago are over. */
export async function acceptedBefore(
  { sequelize }: Database,
  site: number,
  digests: readonly Buffer[],
  wall: number,
): Promise<{ known: Map<string, { id: string; number: number }>; over: Set<string> }> {
  const rows = await sequelize.query<{ digest: Buffer; event: Buffer; number: number; at: Date | string }>(
    'SELECT digest, event, number, at FROM accepted WHERE site = ? AND digest IN (?)',
    { replacements: [site, digests], type: QueryTypes.SELECT },
  );
  const known = new Map<string, { id: string; number: number }>();
  const over = new Set<string>();
  for (const row of rows) {
    const digest = row.digest.toString('hex');
    if (new Date(row.at).getTime() < wall - onceMs) over.add(digest);
    else known.set(digest, { id: fromBytes(row.event), number: Number(row.number) });
  }
  return { known, over };
}
