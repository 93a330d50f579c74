import { QueryTypes, Sequelize, Transaction } from 'sequelize';
import { SequelizeStorage, Umzug } from 'umzug';
import { prepareDays } from './days.js';
import { first } from './migrations/001-first.js';
import { rooms } from './migrations/002-rooms.js';
import { trust } from './migrations/003-trust.js';
import { accounts } from './migrations/004-accounts.js';
import { defineModels, type Models } from './models.js';

/** The database that holds the ledger, with its tables. */
export interface Database {
  readonly sequelize: Sequelize;
  readonly models: Models;
}

/** What has been done to the tables since the first version, in this order. */
const migrations = [first, rooms, trust, accounts] as const;

/** The ledger was written by a later version: to go on with it could harm it. */
export class NewerLedger extends Error {
  constructor(step: string) {
    super(
      `This ledger was written by a newer version of Causalis (step ${step}). Start that version, or another data folder (CAUSALIS_HOME).`,
    );
  }
}

/**
 * Opens the database and brings its tables up to this version, with parts for the days from a moment on (wall ms).
 * Refuses a server that may lose what it has acknowledged.
 */
export async function openDatabase(url: string, now: number): Promise<Database> {
  const sequelize = new Sequelize(url, {
    dialect: 'mariadb',
    logging: false,
    timezone: '+00:00',
    isolationLevel: 'READ COMMITTED' as never,
    pool: { max: 10, min: 1, idle: 60_000, acquire: 5_000 },
    dialectOptions: { connectTimeout: 3_000, socketTimeout: 15_000 },
    define: { timestamps: false, freezeTableName: true },
  });
  const rows = await sequelize.query<{ Value: string }>("SHOW VARIABLES LIKE 'innodb_flush_log_at_trx_commit'", {
    type: QueryTypes.SELECT,
  });
  if (rows[0]?.Value !== '1') throw new Error('The database must keep what it has acknowledged: set innodb_flush_log_at_trx_commit=1.');
  const storage = new SequelizeStorage({ sequelize });
  const umzug = new Umzug({
    migrations: [...migrations],
    context: sequelize.getQueryInterface(),
    storage,
    logger: undefined,
  });
  const known = new Set<string>(migrations.map(({ name }) => name));
  const newer = (await storage.executed()).find((name) => !known.has(name));
  if (newer !== undefined) throw new NewerLedger(newer);
  await umzug.up();
  await prepareDays(url, now);
  return { sequelize, models: defineModels(sequelize) };
}

/** A table may be altered so often in a row while something is read: a day is made and an old one dropped. */
const mostAltered = 3;

/** Reads several things as they were at one moment: what is committed meanwhile is seen by none of them. */
export async function atOneMoment<T>({ sequelize }: Database, read: (transaction: Transaction) => Promise<T>): Promise<T> {
  const options = { isolationLevel: Transaction.ISOLATION_LEVELS.REPEATABLE_READ, readOnly: true };
  for (let tried = 1; ; tried++) {
    try {
      return await sequelize.transaction(options, read);
    } catch (error) {
      if (!isAltered(error) || tried >= mostAltered) throw error;
    }
  }
}

/** True when a table got or lost a part between the moment that is read and the reading (1412): at the next moment it is there. */
const isAltered = (error: unknown): boolean => numberOf(error) === 1412;

/** True for errors that say that the database does not answer, as opposed to refusing what it was asked. */
export function isAway(error: unknown): boolean {
  const name = (error as { name?: string }).name ?? '';
  if (name.startsWith('SequelizeConnection') || name === 'SequelizeTimeoutError') return true;
  const code = (error as { parent?: { code?: string } }).parent?.code ?? (error as { code?: string }).code ?? '';
  return /ECONN|EPIPE|ETIMEDOUT|ER_(SERVER_SHUTDOWN|CONNECTION_|SOCKET_|CMD_CONNECTION_CLOSED|GET_CONNECTION_TIMEOUT|NO_CONNECTION|CON_COUNT_ERROR)/.test(
    code,
  );
}

/** True when the database broke a transaction off because another stood in its way (1213 deadlock, 1205 lock wait): the same again may pass. */
export function isCrossed(error: unknown): boolean {
  const errno = numberOf(error);
  return errno === 1213 || errno === 1205;
}

/** True when what was to be written once stands there already (1062). */
export const isKnownAlready = (error: unknown): boolean => numberOf(error) === 1062;

/** The server's number of an error, whether the driver says it or Sequelize over it. */
function numberOf(error: unknown): number | undefined {
  const { errno, parent } = error as { errno?: number; parent?: { errno?: number } };
  return parent?.errno ?? errno;
}

/** Whether the database answers now. */
export async function answers({ sequelize }: Database): Promise<boolean> {
  try {
    await sequelize.query('SELECT 1', { type: QueryTypes.SELECT });
    return true;
  } catch {
    return false;
  }
}
