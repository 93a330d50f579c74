import { toBytes } from '../ids.js';
import type { Database } from './database.js';

/** All state of a site, by name. */
export async function readState({ models }: Database, site: number): Promise<Map<string, unknown>> {
  const rows = await models.state.findAll({ where: { site } });
  return new Map(rows.map((row) => [String(row.get('name')), (row.get('value') as { is: unknown }).is]));
}

/** Where a kept picture lies, below the media folder. */
export async function mediaPath({ models }: Database, site: number, id: string): Promise<string | undefined> {
  const row = await models.media.findOne({ where: { site, id: toBytes(id) } });
  return row?.get('path') as string | undefined;
}
