import type { Role } from '@causalis/contract';
import { Op } from 'sequelize';
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

export const countUsers = ({ models }: Database): Promise<number> => models.users.count();

export async function addUser({ models }: Database, user: Omit<User, 'id'>, at: Date): Promise<User> {
  const id = newId();
  await models.users.create({ id, ...user, created: at });
  return { id, ...user };
}

export async function findUser({ models }: Database, name: string): Promise<User | undefined> {
  const row = await models.users.findOne({ where: { name } });
  return row ? userOf(row) : undefined;
}

/** Keeps the SHA-256 of a session or token, never itself. */
export async function addPass(
  { models }: Database,
  secret: string,
  pass: { kind: 'session' | 'token'; user: string; name: string; created: Date; expires: Date | null },
): Promise<void> {
  await models.passes.create({ digest: digestOf(secret), ...pass });
}

/** Whose session or token this is, while it is valid. */
export async function findPass(
  { models }: Database,
  kind: 'session' | 'token',
  secret: string,
  at: Date,
): Promise<{ user: User; name: string } | undefined> {
  const row = await models.passes.findOne({
    where: { digest: digestOf(secret), kind, [Op.or]: [{ expires: null }, { expires: { [Op.gt]: at } }] },
  });
  if (!row) return undefined;
  const user = await models.users.findOne({ where: { id: toBytes(row.get('user') as string) } });
  return user ? { user: userOf(user), name: row.get('name') as string } : undefined;
}

export async function dropPass({ models }: Database, secret: string): Promise<void> {
  await models.passes.destroy({ where: { digest: digestOf(secret) } });
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
