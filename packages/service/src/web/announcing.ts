import type { Delivery, StreamMessage } from '@causalis/contract';
import PQueue from 'p-queue';
import { atOneMoment, type Database, isAway } from '../ledger/database.js';
import { findDelivery } from '../ledger/deliveries.js';
import { eventAsKept } from '../ledger/events.js';
import { listFirings } from '../ledger/firings.js';
import type { Stepped } from '../ledger/stepped.js';
import type { Announcer } from './announcer.js';

/** So many connections to the database it takes, of those that all share. */
const mostReading = 3;
/** More than this is not told one by one. */
const mostWaiting = 2_000;
/** While the ledger is away it is asked again after this, so many times. */
const againMs = 1_000;
const mostTimes = 300;

export interface AnnouncingParts {
  readonly database: Database;
  readonly site: number;
  readonly announcer: Announcer;
  readonly title: (source: string) => string;
  readonly trouble: (error: unknown, what: string) => void;
}

/** Tells listeners what has been committed, as the ledger has it then. */
export class Announcing {
  private readonly parts: AnnouncingParts;
  /** Thousands of firings at once may not keep the ledger from those who ask. */
  private readonly line = new PQueue({ concurrency: mostReading });
  private readonly waiting = new Set<string>();

  constructor(parts: AnnouncingParts) {
    this.parts = parts;
  }

  committed(stepped: Stepped): void {
    const { entry, result } = stepped;
    if (!this.parts.announcer.heard) {
      this.parts.announcer.skip();
      return;
    }
    for (const { event, verdicts } of result.events)
      this.parts.announcer.announce({
        kind: 'event',
        event: { ...eventAsKept(stepped, event, verdicts), title: this.parts.title(event.source) },
      });
    for (const { id } of result.firings) this.firing(id);
    if (entry.kind === 'ended') this.delivery(entry.delivery.id);
    if (entry.kind === 'again') for (const { id } of result.deliveries) this.delivery(id);
    for (const { delivery } of result.receipts) this.delivery(delivery);
    if (entry.kind === 'mode') this.parts.announcer.announce({ kind: 'mode', mode: entry.mode });
  }

  delivery(id: string): void {
    if (!this.parts.announcer.heard) {
      this.parts.announcer.skip();
      return;
    }
    this.soon(`delivery ${id}`, async () => {
      const delivery = await findDelivery(this.parts.database, this.parts.site, id);
      return delivery ? [{ kind: 'delivery', delivery }] : [];
    });
  }

  /** Resolves with a delivery as soon as it is as wanted; with nothing when that takes longer. */
  async when(id: string, wanted: (delivery: Delivery) => boolean, patienceMs: number): Promise<Delivery | undefined> {
    return await new Promise((resolve) => {
      const done = (delivery: Delivery | undefined) => {
        clearTimeout(late);
        silence();
        resolve(delivery);
      };
      const late = setTimeout(() => done(undefined), patienceMs);
      const silence = this.parts.announcer.listen(({ message }) => {
        if (message.kind === 'delivery' && message.delivery.id === id && wanted(message.delivery)) done(message.delivery);
      });
      // It may have come about before anybody listened.
      findDelivery(this.parts.database, this.parts.site, id).then(
        (now) => now && wanted(now) && done(now),
        () => undefined,
      );
    });
  }

  private firing(id: string): void {
    this.soon(`firing ${id}`, async () => {
      const firings = await atOneMoment(this.parts.database, (transaction) =>
        listFirings(this.parts.database, this.parts.site, { id }, transaction),
      );
      return firings.map((firing) => ({ kind: 'firing', firing }));
    });
  }

  /**
   * Reads and tells in its turn, as it is then: what waits to be told already is not told twice. While the ledger is
   * away it waits.
   */
  private soon(name: string, read: () => Promise<StreamMessage[]>): void {
    if (this.waiting.has(name)) return;
    if (this.waiting.size >= mostWaiting) {
      // Too much for telling it one by one: listeners read afresh what they show.
      this.line.clear();
      this.waiting.clear();
      this.parts.announcer.announce({ kind: 'reset' });
    }
    this.waiting.add(name);
    this.line
      .add(async () => {
        this.waiting.delete(name);
        for (const message of await this.whenThere(read)) this.parts.announcer.announce(message);
      })
      .catch((error: unknown) => this.parts.trouble(error, 'announcing'));
  }

  private async whenThere<T>(read: () => Promise<T>): Promise<T> {
    for (let times = 1; ; times++) {
      try {
        return await read();
      } catch (error) {
        if (!isAway(error) || times === mostTimes) throw error;
        await new Promise((resolve) => setTimeout(resolve, againMs).unref());
      }
    }
  }
}
