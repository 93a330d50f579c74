import { literal, Transaction } from 'sequelize';
import type { Database } from './database.js';
import { run } from './sql.js';

/** The process that works for a site. */
export interface Holder {
  /** Id of this run of it. */
  readonly process: string;
  /** The machine and its space of process numbers, the number, and when it began: enough to tell that it is gone. */
  readonly machine: string;
  readonly pid: number;
  readonly began: string;
  /** Where it answers. */
  readonly url: string;
}

/** A site's lease as its holder knows it: with an older epoch nothing is written. */
export interface Held {
  readonly site: number;
  readonly epoch: number;
}

/** Another process works for the site now. */
export class LostLease extends Error {}

const inMs = (ms: number) => literal(`NOW(3) + INTERVAL ${Math.round(ms) * 1000} MICROSECOND`);

/**
 * Takes the lease of a site when it is free: never taken, run out by the database's clock, or of a process that is
 * known to be gone. Otherwise says who has it.
 */
export async function takeLease(
  { sequelize, models }: Database,
  site: number,
  holder: Holder,
  ms: number,
  isGone: (holder: Holder) => Promise<boolean>,
): Promise<{ held: Held; number: number; awayMs: number | undefined } | { by: Holder }> {
  return await sequelize.transaction(async (transaction) => {
    await models.leases.bulkCreate([{ site, holder: {}, epoch: 0, until: new Date('2000-01-01'), number: 0 }], {
      transaction,
      ignoreDuplicates: true,
    });
    const row = await models.leases.findOne({
      where: { site },
      attributes: [
        'holder',
        'epoch',
        'number',
        [literal('until < NOW(3)'), 'over'],
        [literal('TIMESTAMPDIFF(MICROSECOND, until, NOW(3)) / 1000'), 'since'],
      ],
      lock: Transaction.LOCK.UPDATE,
      transaction,
    });
    if (!row) throw new RangeError(`site ${site} has no lease`);
    const by = row.get('holder') as Holder;
    if (!row.get('over') && !(await isGone(by))) return { by };
    const epoch = Number(row.get('epoch')) + 1;
    await models.leases.update({ holder, epoch, until: inMs(ms) }, { where: { site }, transaction });
    // Who ended in order has said when; of the others it is known that they lived when they last renewed it, or later.
    const since = Number(row.get('since')) + (by.process ? ms : 0);
    return { held: { site, epoch }, number: Number(row.get('number')), awayMs: epoch === 1 ? undefined : Math.max(0, Math.round(since)) };
  });
}

/** Keeps a lease for so long from now; false when another has it. */
export async function renewLease({ models }: Database, { site, epoch }: Held, ms: number): Promise<boolean> {
  const [changed] = await models.leases.update({ until: inMs(ms) }, { where: { site, epoch } });
  return changed > 0;
}

/** Lets go of a lease, so that the next one need not wait. */
export async function endLease({ models }: Database, { site, epoch }: Held): Promise<void> {
  await models.leases.update({ holder: {}, until: literal('NOW(3)') }, { where: { site, epoch } });
}

/** Refuses to write what a transaction is about to unless the lease is still held; others wait with taking it until it has ended. */
export async function mustHold({ models }: Database, { site, epoch }: Held, transaction: Transaction): Promise<void> {
  const row = await models.leases.findOne({ where: { site, epoch }, attributes: ['epoch'], lock: Transaction.LOCK.SHARE, transaction });
  if (!row) throw new LostLease();
}

/** Gives a site's next numbers: refused unless the lease is still held and the numbers follow on. */
export async function giveNumbers({ site, epoch }: Held, from: number, to: number, transaction: Transaction): Promise<void> {
  const changed = await run(transaction, 'UPDATE leases SET number = ? WHERE site = ? AND epoch = ? AND number = ?', [
    to,
    site,
    epoch,
    from,
  ]);
  if (changed === 0) throw new LostLease();
}

/** The last number that a site has given, while the lease is held. */
export async function numberOf({ models }: Database, { site, epoch }: Held): Promise<number> {
  const row = await models.leases.findOne({ where: { site, epoch }, attributes: ['number'] });
  if (!row) throw new LostLease();
  return Number(row.get('number'));
}
