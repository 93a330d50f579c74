import path from 'node:path';
import type { Clock } from './clock.js';
import { forgetAccepted } from './ledger/commit.js';
import { type Database, isAway } from './ledger/database.js';
import { dropDays, prepareDays } from './ledger/days.js';
import { forgetOver } from './ledger/people.js';
import { mediaPath } from './ledger/state.js';
import { sweepOrphans } from './media/evidence.js';

export interface KeepingParts {
  readonly database: Database;
  readonly databaseUrl: string;
  readonly clock: Clock;
  readonly home: string;
  /** Days for which what has happened is kept. */
  readonly days: number;
  readonly sites: () => readonly { readonly id: number; readonly key: string }[];
  readonly trouble: (error: unknown, what: string) => void;
}

const dayMs = 86_400_000;
const everyMs = 3_600_000;
/** Arrivals that were refused are of interest while somebody sets a hook up. */
const refusedDays = 7;

/** Keeps the ledger to its days: parts for those to come are made, old ones are dropped with their pictures, once an hour. */
export class Keeping {
  private readonly parts: KeepingParts;
  private cancel: () => void = () => undefined;
  private running: Promise<void> = Promise.resolve();
  private stopped = false;

  constructor(parts: KeepingParts) {
    this.parts = parts;
  }

  start(): void {
    if (this.stopped) return;
    const { clock, trouble } = this.parts;
    this.cancel = clock.at(clock.steady() + everyMs, () => {
      this.running = this.keep()
        .catch((error: unknown) => {
          if (!isAway(error)) trouble(error, 'keeping the ledger to its days');
        })
        .finally(() => this.start());
    });
  }

  async stop(): Promise<void> {
    this.stopped = true;
    this.cancel();
    await this.running;
  }

  private async keep(): Promise<void> {
    const { database, databaseUrl, clock, home, days, sites } = this.parts;
    const now = clock.wall();
    await forgetAccepted(database, now);
    await forgetOver(database, now, now - refusedDays * dayMs);
    await prepareDays(databaseUrl, now);
    const before = now - days * dayMs;
    if ((await dropDays(databaseUrl, before)) === 0) return;
    for (const { id, key } of sites())
      await sweepOrphans(path.join(home, 'media', key), async (picture) => (await mediaPath(database, id, picture)) !== undefined, {
        daysBefore: before,
      });
  }
}
