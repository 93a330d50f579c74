import { timingSafeEqual } from 'node:crypto';
import { accountUser } from '@causalis/contract';
import type { Clock } from '../../clock.js';
import { digestOf } from '../../ledger/commit.js';
import type { Database } from '../../ledger/database.js';
import { accountPassword, accountUsed, writeRefused } from '../../ledger/secrets.js';
import { Refusal } from '../../problem.js';
import type { SiteRuntime } from '../../site.js';
import type { Sites } from '../../sites.js';
import { Buckets } from '../bucket.js';
import { type AccountDesk, ArrivalRefused, type SignedIn } from './contract.js';

export interface DeskParts {
  readonly database: Database;
  readonly clock: Clock;
  readonly sites: Pick<Sites, 'all'>;
}

/** A broken camera tries the wrong password all day: so many of its refusals are listed, no more. */
const refusalsMay = { aSecond: 1 / 30, atOnce: 20 };

/** Who may bring what for which camera, for every server that takes arrivals. */
export function accountDesk({ database, clock, sites }: DeskParts): AccountDesk {
  const listed = new Buckets(refusalsMay);
  const siteOf = (key: string): SiteRuntime => {
    const site = sites.all.find((one) => one.key === key);
    if (!site) throw new Refusal('starting');
    return site;
  };
  const refuse = async ({ site: key, account }: Pick<SignedIn, 'site' | 'account'>, address: string, reason: string) => {
    const site = siteOf(key);
    if (!listed.take(accountUser(key, account), clock.steady()).passes) return;
    await writeRefused(database, { site: site.id, source: account, at: new Date(clock.wall()), address: plainAddress(address), reason });
  };
  return {
    refuse,
    async enter(kind, user, password, address) {
      const [key, name = ''] = user.split('.');
      const site = sites.all.find((one) => one.key === key);
      const account = site && Object.hasOwn(site.document.accounts, name) ? site.document.accounts[name] : undefined;
      if (!site || !account) return undefined;
      const who = { site: key, account: name, folder: account.kind === 'upload' ? account.folder : '/' };
      const known = await accountPassword(database, site.id, name);
      const reason = !known
        ? 'no-password-issued'
        : timingSafeEqual(known.digest, digestOf(password))
          ? account.kind === kind
            ? undefined
            : 'other-kind'
          : 'wrong-password';
      if (reason === undefined) return who;
      await refuse(who, address, reason);
      return undefined;
    },
    async arrived(who, arrival) {
      const site = siteOf(who.site);
      const account = Object.hasOwn(site.document.accounts, who.account) ? site.document.accounts[who.account] : undefined;
      if (!account) throw new ArrivalRefused('no-account');
      if (!site.own.mayReport('cameras', account.camera)) throw new ArrivalRefused('too-many');
      await site.cameras.reported(account.camera, who.account, arrival);
      await accountUsed(database, site.id, who.account, new Date(clock.wall()));
    },
  };
}

const plainAddress = (address: string): string => address.replace(/^::ffff:/, '').slice(0, 60);
