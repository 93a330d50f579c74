import { type Section, type SiteDocument, sections, upgradeDocument } from '@causalis/contract';
import type { Rename } from '@causalis/core';
import { Op, type Transaction } from 'sequelize';
import { newId } from '../ids.js';
import type { Database } from './database.js';
import { type Held, mustHold } from './leases.js';
import { putRows } from './sql.js';

/** A site's document in force with the ids of its items. */
export interface StoredSite {
  readonly id: number;
  readonly key: string;
  readonly revision: number;
  readonly document: SiteDocument;
  /** Ids by `section/key`; they never change while the item lives. */
  readonly ids: ReadonlyMap<string, string>;
}

type Item = { section: Section; key: string; id: string; body: unknown; inner_ids: Record<string, string>; place: number };

const address = (section: string, key: string) => `${section}/${key}`;

/** Every site with its document. */
export async function readSites({ models }: Database): Promise<StoredSite[]> {
  const rows = await models.sites.findAll();
  return await Promise.all(
    rows.map(async (row) => {
      const site = row.get() as { id: number; key: string; revision: number; head: Pick<SiteDocument, 'causalis' | 'site'> };
      const items = (await models.items.findAll({ where: { site: site.id }, order: [['place', 'ASC']] })).map((item) => item.get() as Item);
      const bySection = Object.fromEntries(
        sections.map((section) => [
          section,
          Object.fromEntries(items.filter((item) => item.section === section).map(({ key, body }) => [key, body])),
        ]),
      );
      const written = { ...site.head, revision: site.revision, ...bySection };
      const document = upgradeDocument(written) as SiteDocument;
      return {
        id: site.id,
        key: site.key,
        revision: site.revision,
        document,
        ids: new Map(items.map((item) => [address(item.section, item.key), item.id])),
      };
    }),
  );
}

export const countSites = ({ models }: Database): Promise<number> => models.sites.count();

/** Keyed things inside an item that keep their own ids. */
function innerKeys(section: Section, body: unknown): string[] {
  const inside = (field: string) =>
    Object.keys((body as Record<string, Record<string, unknown> | undefined>)[field] ?? {}).map((key) => `${field}/${key}`);
  return section === 'cameras' ? inside('marks') : section === 'rules' ? inside('actions') : [];
}

/**
 * Writes a document as the next revision: changed items only, with ids kept for what stays. Returns the site as it is
 * then and the addresses of what changed; an unchanged document makes no revision.
 */
export async function writeDocumentRevision(
  database: Database,
  held: Held | undefined,
  before: StoredSite | undefined,
  document: SiteDocument,
  renames: readonly Rename[],
  by: string,
  at: Date,
): Promise<{ site: StoredSite; changed: string[] }> {
  const { sequelize, models } = database;
  const { revision: _, causalis, site, ...rest } = document;
  const head = { causalis, site };
  const changes: Record<string, unknown> = {};
  const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);
  if (!before || !same({ causalis: before.document.causalis, site: before.document.site }, head)) changes.site = head;
  for (const section of sections) {
    for (const [key, body] of Object.entries(rest[section]))
      if (!same(before?.document[section][key], body)) changes[address(section, key)] = body;
    for (const key of Object.keys(before?.document[section] ?? {})) if (!(key in rest[section])) changes[address(section, key)] = null;
  }
  const changed = Object.keys(changes);
  if (before && changed.length === 0) return { site: before, changed };

  const number = (before?.revision ?? 0) + 1;
  const ids = new Map<string, string>();
  const id = await sequelize.transaction(async (transaction) => {
    if (held) await mustHold(database, held, transaction);
    const siteId =
      before?.id ??
      ((await models.sites.create({ key: site.key, revision: number, head, created: at }, { transaction })).get('id') as number);
    if (before) await models.sites.update({ revision: number, head }, { where: { id: siteId, revision: before.revision }, transaction });
    for (const rename of renames) await renameItem(database, siteId, rename, transaction);
    await writeItems(database, siteId, rest, changes, ids, transaction);
    await models.revisions.create({ site: siteId, number, at, by_whom: by, changes }, { transaction });
    return siteId;
  });
  return { site: { id, key: site.key, revision: number, document: { ...document, revision: number }, ids }, changed };
}

/** The revisions of a site, newest first. */
export async function listRevisions(
  { models }: Database,
  site: number,
  limit: number,
): Promise<{ number: number; at: string; by: string; changed: string[] }[]> {
  const rows = await models.revisions.findAll({ where: { site }, order: [['number', 'DESC']], limit });
  return rows.map((row) => ({
    number: row.get('number') as number,
    at: (row.get('at') as Date).toISOString(),
    by: row.get('by_whom') as string,
    changed: Object.keys(row.get('changes') as object),
  }));
}

/** A document as it was at a revision: the changes up to it, one after the other; nothing when there is no such revision. */
export async function readRevision({ models }: Database, site: number, number: number): Promise<SiteDocument | undefined> {
  const rows = await models.revisions.findAll({ where: { site, number: { [Op.lte]: number } }, order: [['number', 'ASC']] });
  if (rows.at(-1)?.get('number') !== number) return undefined;
  let head = {} as Pick<SiteDocument, 'causalis' | 'site'>;
  const items = Object.fromEntries(sections.map((section) => [section, {} as Record<string, unknown>]));
  for (const row of rows) {
    for (const [path, body] of Object.entries(row.get('changes') as Record<string, unknown>)) {
      const [section, key] = path.split('/');
      if (path === 'site') head = body as typeof head;
      else if (body === null) delete items[section][key];
      else items[section][key] = body;
    }
  }
  return upgradeDocument({ ...head, ...items }) as SiteDocument;
}

/** An item goes on under another key: with its id, its address, and what is still to be sent over it. */
async function renameItem({ models }: Database, site: number, { section, from, to }: Rename, transaction: Transaction): Promise<void> {
  await models.items.update({ key: to }, { where: { site, section, key: from }, transaction });
  if (section === 'hooks') await models.hookAddresses.update({ hook: to }, { where: { site, hook: from }, transaction });
  if (section === 'accounts') await models.accountPasswords.update({ account: to }, { where: { site, account: from }, transaction });
  if (section !== 'outputs') return;
  await models.deliveries.update({ output: to }, { where: { site, output: from, state: ['waiting', 'sending', 'retrying'] }, transaction });
  await models.queue.update({ output: to }, { where: { site, output: from }, transaction });
}

async function writeItems(
  { models }: Database,
  site: number,
  after: Record<Section, Record<string, unknown>>,
  changes: Record<string, unknown>,
  ids: Map<string, string>,
  transaction: Transaction,
): Promise<void> {
  const old = new Map(
    (await models.items.findAll({ where: { site }, transaction }))
      .map((row) => row.get() as Item)
      .map((item) => [address(item.section, item.key), item]),
  );
  for (const [path] of Object.entries(changes).filter(([path, body]) => body === null && path !== 'site')) {
    const [section, key] = path.split('/');
    await models.items.destroy({ where: { site, section, key }, transaction });
  }
  let place = 0;
  const rows: Record<string, unknown>[] = [];
  for (const section of sections) {
    for (const [key, body] of Object.entries(after[section])) {
      const path = address(section, key);
      const known = old.get(path);
      const id = known?.id ?? newId();
      ids.set(path, id);
      const inner = Object.fromEntries(innerKeys(section, body).map((name) => [name, known?.inner_ids[name] ?? newId()]));
      if (path in changes || known?.place !== place) rows.push({ site, section, key, id, body, inner_ids: inner, place });
      place++;
    }
  }
  await putRows(models.items, rows, transaction, ['body', 'inner_ids', 'place']);
}
