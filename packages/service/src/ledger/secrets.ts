import type { RefusedArrival } from '@causalis/contract';
import { digestOf } from './commit.js';
import type { Database } from './database.js';

export interface SealedSecret {
  readonly key: string;
  readonly sealed: Buffer;
  readonly bound: readonly string[];
}

export async function readSecrets({ models }: Database, site: number): Promise<SealedSecret[]> {
  const rows = await models.secrets.findAll({ where: { site } });
  return rows.map((row) => ({ key: row.get('key') as string, sealed: row.get('sealed') as Buffer, bound: row.get('bound') as string[] }));
}

export async function writeSecret({ models }: Database, site: number, secret: SealedSecret, at: Date): Promise<void> {
  await models.secrets.bulkCreate([{ site, ...secret, at }], { updateOnDuplicate: ['sealed', 'bound', 'at'] });
}

/** Gives a hook its one address; the address before it ends with this. */
export async function writeHookAddress(
  { sequelize, models }: Database,
  site: number,
  hook: string,
  secret: string,
  at: Date,
): Promise<void> {
  await sequelize.transaction(async (transaction) => {
    await models.hookAddresses.destroy({ where: { site, hook }, transaction });
    await models.hookAddresses.create({ digest: digestOf(secret), site, hook, at }, { transaction });
  });
}

/** Ends the address of a hook. */
export async function dropHookAddress({ models }: Database, site: number, hook: string): Promise<void> {
  await models.hookAddresses.destroy({ where: { site, hook } });
}

/** What is known of an account's password. */
export interface AccountPassword {
  readonly digest: Buffer;
  readonly at: Date;
  readonly last: Date | null;
}

const passwordOf = (row: { get(name: string): unknown }): AccountPassword => ({
  digest: row.get('digest') as Buffer,
  at: row.get('at') as Date,
  last: row.get('last') as Date | null,
});

/** Gives an account its one password; the one before it ends with this. */
export async function writeAccountPassword({ models }: Database, site: number, account: string, secret: string, at: Date): Promise<void> {
  const password = { site, account, digest: digestOf(secret), at };
  await models.accountPasswords.bulkCreate([password], { updateOnDuplicate: ['digest', 'at'] });
}

/** Ends the password of an account. */
export async function dropAccountPassword({ models }: Database, site: number, account: string): Promise<void> {
  await models.accountPasswords.destroy({ where: { site, account } });
}

export async function accountPassword({ models }: Database, site: number, account: string): Promise<AccountPassword | undefined> {
  const row = await models.accountPasswords.findOne({ where: { site, account } });
  return row ? passwordOf(row) : undefined;
}

/** The passwords of a site's accounts, by account. */
export async function accountPasswords({ models }: Database, site: number): Promise<ReadonlyMap<string, AccountPassword>> {
  const rows = await models.accountPasswords.findAll({ where: { site } });
  return new Map(rows.map((row) => [row.get('account') as string, passwordOf(row)]));
}

/** Something has arrived over an account. */
export async function accountUsed({ models }: Database, site: number, account: string, last: Date): Promise<void> {
  await models.accountPasswords.update({ last }, { where: { site, account } });
}

/** When each hook of a site was given its address. */
export async function hookAddresses({ models }: Database, site: number): Promise<ReadonlyMap<string, Date>> {
  const rows = await models.hookAddresses.findAll({ where: { site } });
  return new Map(rows.map((row) => [row.get('hook') as string, row.get('at') as Date]));
}

/** Arrivals that were refused, newest first. */
export async function listRefused({ models }: Database, site: number, limit: number): Promise<RefusedArrival[]> {
  const rows = await models.refused.findAll({ where: { site }, order: [['id', 'DESC']], limit });
  return rows.map((row) => ({
    source: row.get('source') as string,
    at: (row.get('at') as Date).toISOString(),
    address: row.get('address') as string,
    reason: row.get('reason') as string,
  }));
}

export async function findHookAddress({ models }: Database, secret: string): Promise<{ site: number; hook: string } | undefined> {
  const row = await models.hookAddresses.findOne({ where: { digest: digestOf(secret) } });
  return row ? { site: row.get('site') as number, hook: row.get('hook') as string } : undefined;
}

/** An arrival at a known address that was refused, for the integrator to see. */
export async function writeRefused(
  { models }: Database,
  refused: { site: number; source: string; at: Date; address: string; reason: string },
): Promise<void> {
  await models.refused.create(refused);
}
