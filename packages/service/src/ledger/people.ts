import type { AuditLine, Permission, Role } from '@causalis/contract';
import { Op, type Transaction } from 'sequelize';
import { newId, toBytes } from '../ids.js';
import { digestOf } from './commit.js';
import type { Database } from './database.js';

export interface User {
  readonly id: string;
  readonly name: string;
  readonly role: Role;
  readonly password: string;
}

const userOf = (row: { get(name: string): unknown }): User => ({
  id: row.get('id') as string,
  name: row.get('name') as string,
  role: row.get('role') as Role,
  password: row.get('password') as string,
});

export async function listUsers({ models }: Database): Promise<(User & { created: Date })[]> {
  const rows = await models.users.findAll({ order: [['name', 'ASC']] });
  return rows.map((row) => ({ ...userOf(row), created: row.get('created') as Date }));
}

/** Gives a user another role or password: whoever is signed in as them signs in again. */
export async function changeUser({ sequelize, models }: Database, id: string, to: { role?: Role; password?: string }): Promise<void> {
  await sequelize.transaction(async (transaction) => {
    await models.users.update(to, { where: { id: toBytes(id) }, transaction });
    await models.passes.destroy({ where: { user: toBytes(id), kind: 'session' }, transaction });
  });
}

export async function removeUser({ sequelize, models }: Database, id: string): Promise<void> {
  await sequelize.transaction(async (transaction) => {
    await models.passes.destroy({ where: { user: toBytes(id) }, transaction });
    await models.users.destroy({ where: { id: toBytes(id) }, transaction });
  });
}

export const countUsers = ({ models }: Database): Promise<number> => models.users.count();

export async function addUser(
  { models }: Database,
  user: Omit<User, 'id'>,
  at: Date,
  transaction: Transaction | null = null,
): Promise<User> {
  const id = newId();
  await models.users.create({ id, ...user, created: at }, { transaction });
  return { id, ...user };
}

/** A user and a token of theirs, both or neither. */
export async function addUserWithToken(database: Database, user: Omit<User, 'id'>, token: string, at: Date): Promise<void> {
  await database.sequelize.transaction(async (transaction) => {
    const { id } = await addUser(database, user, at, transaction);
    const pass = { kind: 'token', user: id, name: 'command line of this machine', created: at, expires: null } as const;
    await addPass(database, token, pass, transaction);
  });
}

export async function findUser({ models }: Database, name: string): Promise<User | undefined> {
  const row = await models.users.findOne({ where: { name } });
  return row ? userOf(row) : undefined;
}

/** Keeps the SHA-256 of a session or token, never itself. */
export async function addPass(
  { models }: Database,
  secret: string,
  pass: {
    kind: 'session' | 'token';
    user: string;
    name: string;
    created: Date;
    expires: Date | null;
    permissions?: readonly Permission[];
    site?: number;
  },
  transaction: Transaction | null = null,
): Promise<string> {
  const id = newId();
  await models.passes.create({ digest: digestOf(secret), id, permissions: null, site: null, ...pass }, { transaction });
  return id;
}

export interface Token {
  readonly id: string;
  readonly name: string;
  readonly user: User;
  readonly created: Date;
  readonly expires: Date | null;
  readonly permissions: readonly Permission[] | null;
  /** Key of the only site that it is good for. */
  readonly site: string | null;
}

/** The keys of all sites by their ids. */
async function siteKeys({ models }: Database): Promise<Map<number, string>> {
  const rows = await models.sites.findAll({ attributes: ['id', 'key'] });
  return new Map(rows.map((row) => [row.get('id') as number, row.get('key') as string]));
}

/** Tokens of programs, newest first. */
export async function listTokens(database: Database): Promise<Token[]> {
  const [rows, users, sites] = await Promise.all([
    database.models.passes.findAll({ where: { kind: 'token' }, order: [['created', 'DESC']] }),
    listUsers(database),
    siteKeys(database),
  ]);
  return rows.flatMap((row) => {
    const user = users.find(({ id }) => id === row.get('user'));
    if (!user) return [];
    return [
      {
        id: row.get('id') as string,
        name: row.get('name') as string,
        user,
        created: row.get('created') as Date,
        expires: row.get('expires') as Date | null,
        permissions: row.get('permissions') as Permission[] | null,
        site: sites.get(row.get('site') as number) ?? null,
      },
    ];
  });
}

/** Ends a token; false when there is none such. */
export async function dropToken({ models }: Database, id: string): Promise<boolean> {
  return (await models.passes.destroy({ where: { kind: 'token', id: toBytes(id) } })) > 0;
}

/** Whose session or token this is, while it is valid. */
export async function findPass(
  database: Database,
  kind: 'session' | 'token',
  secret: string,
  at: Date,
): Promise<{ user: User; name: string; permissions: readonly Permission[] | null; site: string | null } | undefined> {
  const { models } = database;
  const row = await models.passes.findOne({
    where: { digest: digestOf(secret), kind, [Op.or]: [{ expires: null }, { expires: { [Op.gt]: at } }] },
  });
  if (!row) return undefined;
  const user = await models.users.findOne({ where: { id: toBytes(row.get('user') as string) } });
  const permissions = row.get('permissions') as Permission[] | null;
  const site = row.get('site') as number | null;
  // A token for a site that is there no more is good for nothing.
  const key = site === null ? null : ((await siteKeys(database)).get(site) ?? '');
  return user ? { user: userOf(user), name: row.get('name') as string, permissions, site: key } : undefined;
}

export async function dropPass({ models }: Database, secret: string): Promise<void> {
  await models.passes.destroy({ where: { digest: digestOf(secret) } });
}

/** Forgets sessions and tokens that have ended (wall ms), and arrivals that were refused before a moment. */
export async function forgetOver({ models }: Database, now: number, refusedBefore: number): Promise<void> {
  await models.passes.destroy({ where: { expires: { [Op.lt]: new Date(now) } } });
  await models.refused.destroy({ where: { at: { [Op.lt]: new Date(refusedBefore) } } });
}

/** One line of the audit: who did what from where. */
export async function writeAudit(
  { models }: Database,
  line: { at: Date; site: number | null; by: string; address: string; what: string; detail: unknown },
): Promise<void> {
  await models.audit.create({
    at: line.at,
    site: line.site,
    by_whom: line.by,
    address: line.address,
    what: line.what,
    detail: line.detail,
  });
}

/** Lines of the audit, newest first; sites by their keys. */
export async function listAudit(
  database: Database,
  limit: number,
  before: number | undefined,
): Promise<{ items: AuditLine[]; next?: string }> {
  const where = before === undefined ? {} : { id: { [Op.lt]: before } };
  const [rows, keys] = await Promise.all([
    database.models.audit.findAll({ where, order: [['id', 'DESC']], limit: limit + 1 }),
    siteKeys(database),
  ]);
  const items = rows.slice(0, limit).map((row): AuditLine => {
    const site = keys.get(row.get('site') as number);
    return {
      id: Number(row.get('id')),
      at: (row.get('at') as Date).toISOString(),
      ...(site === undefined ? {} : { site }),
      by: row.get('by_whom') as string,
      address: row.get('address') as string,
      what: row.get('what') as string,
      detail: row.get('detail'),
    };
  });
  const last = items.at(-1);
  return rows.length > limit && last ? { items, next: String(last.id) } : { items };
}
