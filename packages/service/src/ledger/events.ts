import type { EventKind, EventRow, SiteEvent, Verdict } from '@causalis/contract';
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
  const { kind, source, fired, rule, afterNumber, limit } = filter;
  const own: WhereOptions = {
    ...(afterNumber === undefined ? {} : { number: { [Op.gt]: afterNumber } }),
    ...(kind ? { kind } : {}),
    ...(source ? { source } : {}),
    ...(fired === undefined ? {} : { fired }),
  };
  const read = async (ids: object): Promise<Model[]> => {
    // The rule's own index knows kind and source too: its events are then read by their ids alone.
    const where: WhereOptions = rule ? { site, id: await firedOn(database, site, rule, filter, ids) } : { site, ...own, id: ids };
    return await models.events.findAll({ where, order: [['id', 'DESC']], limit: limit + 1 });
  };
  const rows = await lookingBack(database, site, filter, read);
  return paged(
    rows.map(eventOf).map((event) => ({ ...event, title: title(event.source.key) })),
    limit,
  );
}

const hour = 3_600_000;
/** How far back is looked for a page: the next only when the one before had too few. */
const looks = [hour, 24 * hour, 10 * 24 * hour, Number.POSITIVE_INFINITY];

/**
 * Reads a page in stretches of ids, each longer than the last: a stretch has two ends, so that the database walks an
 * index from its newest row of what is asked, where it would otherwise read everything newer first.
 */
async function lookingBack<T>(
  database: Database,
  site: number,
  { before, from, until, limit }: EventFilter,
  read: (ids: object) => Promise<T[]>,
) {
  const ends = [...(before ? [toBytes(before)] : []), ...(until ? [firstBytesOf(Date.parse(until))] : [])].sort(Buffer.compare);
  const last = ends[0] ?? (await newestOf(database, site));
  if (!last) return [];
  const upper = ends[0] ? { [Op.lt]: ends[0] } : {};
  const end = Number.parseInt(last.toString('hex').slice(0, 12), 16);
  const first = from ? Date.parse(from) : 0;
  for (const look of looks) {
    const start = Math.max(first, end - look);
    const rows = await read({ ...upper, [Op.gte]: firstBytesOf(start) });
    if (rows.length > limit || start <= first) return rows;
  }
  return [];
}

/** The newest id; the index is named because any other would be sorted first. */
async function newestOf({ sequelize }: Database, site: number): Promise<Buffer | undefined> {
  const rows = await sequelize.query<{ id: Buffer }>(
    'SELECT id FROM events FORCE INDEX (PRIMARY) WHERE site = ? ORDER BY id DESC LIMIT 1',
    {
      replacements: [site],
      type: QueryTypes.SELECT,
    },
  );
  return rows[0]?.id;
}

/** The newest events on which a rule fired, in a stretch of ids. */
async function firedOn(
  { models }: Database,
  site: number,
  rule: string,
  { kind, source, limit }: EventFilter,
  ids: object,
): Promise<Buffer[]> {
  const rows = await models.firings.findAll({
    attributes: ['event'],
    where: { site, rule, ...(kind ? { kind } : {}), ...(source ? { source } : {}), event: ids },
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

/** When a source gave an event of each of these kinds last; nothing where it never did. */
export async function lastOfKinds(
  { models }: Database,
  site: number,
  source: string,
  kinds: readonly EventKind[],
): Promise<{ kind: EventKind; last?: string }[]> {
  return await Promise.all(
    kinds.map(async (kind) => {
      const row = await models.events.findOne({ where: { site, source, kind }, order: [['id', 'DESC']], attributes: ['time'] });
      const time = row?.get('time') as Date | undefined;
      return { kind, ...(time ? { last: time.toISOString() } : {}) };
    }),
  );
}

/** When each source last gave a kind of event. */
export async function lastOfSources(
  { models }: Database,
  site: number,
  kind: EventKind,
  sources: readonly string[],
): Promise<ReadonlyMap<string, string>> {
  const found = await Promise.all(
    sources.map(async (source) => {
      const row = await models.events.findOne({ where: { site, source, kind }, order: [['id', 'DESC']], attributes: ['time'] });
      return row ? [[source, (row.get('time') as Date).toISOString()] as const] : [];
    }),
  );
  return new Map(found.flat());
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
